import { spawn } from 'node:child_process'

/** What nft or ip said is wrong, in its own words. */
export class ToolFault extends Error {}

/** Where the system's programs lie: another of the same name, in a folder of somebody's own, is not meant. nft reads and prints times in the zone of its environment. */
export const SYSTEM = { PATH: '/usr/local/sbin:/usr/sbin:/usr/bin:/sbin:/bin', TZ: 'UTC', LC_ALL: 'C' } as const

/** Runs a program of the system with a text as its input; answers what it printed. Throws ToolFault where it fails, is missing, or takes over half a minute. */
export function tool(command: string, args: readonly string[], input = ''): Promise<string> {
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, { env: SYSTEM, timeout: 30_000 })
    const [out, err]: [Buffer[], Buffer[]] = [[], []]
    child.stdout.on('data', chunk => out.push(chunk as Buffer))
    child.stderr.on('data', chunk => err.push(chunk as Buffer))
    child.once('error', (error: NodeJS.ErrnoException) => reject(new ToolFault(error.code === 'ENOENT' ? `${command} is missing: install the package ${command === 'nft' ? 'nftables' : 'iproute2'}.` : error.message)))
    child.once('close', code => code === 0 ? resolve(Buffer.concat(out).toString()) : reject(new ToolFault(`${command} ${args.join(' ')}: ${Buffer.concat(err).toString().trim().split('\n')[0] ?? `ended with ${code}`}`)))
    // One that ends early takes no more input; why it did is told when it closes.
    child.stdin.on('error', () => {})
    child.stdin.end(input)
  })
}
