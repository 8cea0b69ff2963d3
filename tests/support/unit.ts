import { readFileSync } from 'node:fs'

const unit = readFileSync('packaging/kairostat-gateway.service', 'utf8')

/** The options that the gateway's unit gives to Node: tests and the bench run it as it is installed. */
export const UNIT_OPTIONS: readonly string[] = /^ExecStart=\S+ ((?:--\S+ )+)\S+ gateway /m
  .exec(unit)![1]!
  .trim()
  .split(' ')

/** The environment that it gives besides, and ours. */
export const UNIT_ENVIRONMENT: NodeJS.ProcessEnv = {
  ...process.env,
  ...Object.fromEntries(
    [...unit.matchAll(/^Environment=([A-Z_]+)=(.*)$/gm)].map(([, name, value]) => [name, value]),
  ),
}
