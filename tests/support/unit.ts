import { readFileSync } from 'node:fs'

/** The options that the gateway's unit gives to Node: tests and the bench run it as it is installed. */
export const UNIT_OPTIONS: readonly string[] = /^ExecStart=\S+ ((?:--\S+ )+)\S+ gateway /m
  .exec(readFileSync('packaging/kairostat-gateway.service', 'utf8'))![1]!
  .trim()
  .split(' ')
