import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { chownSync, copyFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join, resolve as resolvePath } from 'node:path'
import { canonicalText, digestOf } from '../../core/policy/canonical.ts'
import { readPolicy } from '../../core/policy/read.ts'
import { gatewayAt } from '../../gateway/transport/http-client.ts'
import { SYSTEM } from '../../gateway/planes/linux/ssh/shell.ts'
import type { Gateway } from '../../protocol/gateway/gateway.ts'
import { startSsh, SSH_PORT, type RunningSsh, type SshServer } from './ssh-server.ts'
import { ROUTER_LEASES } from './small-router.ts'
import { UNIT_OPTIONS } from '../support/unit.ts'

/** The far side of the router, in both versions of IP. */
export const FAR = { 4: '203.0.113.10', 6: '2001:db8::10' } as const
export const PORT = 7000
const KINDS = (['udp', 'tcp'] as const).flatMap((mode) =>
  ([4, 6] as const).map((version) => ({ mode, version })),
)
/** The result of `reach` where everything passes. */
export const REACHED = KINDS.map(({ mode, version }) => `${mode}${version}`).join(' ')
/** The addresses of the two machines of the local network. */
export const MACS = { A: '02:00:00:00:00:0a', B: '02:00:00:00:00:0b' } as const
/** The user of the program: nobody's. */
const NOBODY = 65534
const SECRET = 'a-secret-of-the-test'
/** The program that sends and answers; the bench runs in a bundle, elsewhere. */
export const PROBE = resolvePath('tests/gateway/probe.mjs')

/** A small real network in namespaces of its own, with the gateway's program on its router. */
export interface Network {
  readonly gateway: Gateway
  /** The gateway as the application reaches it. */
  readonly address: string
  readonly secret: string
  /** The folder of its state. */
  readonly folder: string
  /**
   * Runs a command in a namespace until it ends.
   *
   * @returns what it printed
   */
  run(where: Host, command: string, ...args: string[]): Promise<string>
  /**
   * The times at which answered packets of a machine, or to it, were sent (ms): until an instant
   * (ms; "+1500" = from when it begins), or until there is a file.
   */
  probe(
    from: 'cliA' | 'cliB',
    mode: 'udp' | 'tcp' | 'push',
    version: 4 | 6,
    until: number | string,
    to?: string,
    port?: number,
  ): Promise<number[]>
  /**
   * The kinds of packets to the far side that get an answer within a second and a half, such as "udp4
   * tcp6".
   */
  reach(from: 'cliA' | 'cliB'): Promise<string>
  /** Looks up a name at a server from a machine; returns the answer. */
  lookup(
    from: 'cliA' | 'cliB',
    name: string,
    type: 'A' | 'AAAA',
    server: string,
    over?: 'udp' | 'tcp',
  ): Promise<string>
  /**
   * Looks a name up from a machine again and again for so long (ms), and how long each
   * answer took (ms).
   */
  ask(
    from: 'cliA' | 'cliB',
    name: string,
    milliseconds: number,
  ): Promise<{ readonly data: string | null; readonly took: number }[]>
  /** Has the router's packet filter take a text, while no program runs. */
  load(text: string): Promise<void>
  /** Puts a policy in force; throws where it is refused. */
  enforce(document: object): Promise<void>
  /** Sets the clock of the gateway's program to an instant (ms). */
  setClock(instant: number): void
  /** The seconds of a core that the gateway's program has used. */
  cpuSeconds(): number
  /** Ends the gateway's program with a signal, or starts it. */
  kill(signal: NodeJS.Signals): Promise<void>
  start(): Promise<void>
  /** The name of the namespace of a machine. */
  namespaceOf(where: Host): string
  /** The SSH server of the router; `null` where the gateway runs on it. */
  readonly ssh: RunningSsh | null
  stop(): Promise<void>
}
const HOSTS = ['isp', 'rtr', 'cliA', 'cliB', 'ctl'] as const
type Host = (typeof HOSTS)[number]

/** The plan of a network. */
export interface NetworkSetting {
  /** The interfaces of the router that its gateway watches. */
  readonly lans?: readonly string[]
  /** The SSH server over which another machine drives the router; `null` = the gateway runs on it. */
  readonly via?: SshServer | null
  /** Whether its key may run nothing there but what is sent to a router. */
  readonly bound?: boolean
  /** Whether the gateway's program runs from the beginning. */
  readonly gateway?: boolean
  /** Further words for the gateway's program. */
  readonly more?: readonly string[]
}

/** The way by which the gateway reaches the router in this run of the tests. */
const VIA = (process.env.KAIROSTAT_TEST_VIA ?? null) as SshServer | null

/** Builds the network, apart from those of other runs. */
export async function startNetwork({
  lans = ['br0'],
  via = VIA,
  bound = true,
  gateway: runs = true,
  more = [],
}: NetworkSetting = {}): Promise<Network> {
  const name = `k${process.pid}`
  const folder = mkdtempSync(join(tmpdir(), 'kairostat-network-'))
  const clear = () => HOSTS.forEach((host) => spawnSync('ip', ['netns', 'del', name + host]))
  const made = spawnSync('bash', [resolvePath('tests/gateway/testnet-up.sh')], {
    env: { ...process.env, P: name },
    encoding: 'utf8',
  })
  if (made.status !== 0) {
    clear()
    throw new Error(`The network could not be built: ${made.stderr}`)
  }
  writeFileSync(join(folder, 'secret'), SECRET)
  // It makes its bundle where that is stale, which nobody could.
  if (spawnSync(process.execPath, ['bin/kairostat', 'gateway', '--help']).status !== 0)
    throw new Error('The gateway’s program does not start.')
  copyFileSync('dist/gateway.mjs', join(folder, 'gateway.mjs'))
  chownSync(folder, NOBODY, NOBODY)
  const running = new Set<ChildProcess>()
  const inside = (where: Host, command: string, args: readonly string[]) => {
    const child = spawn('ip', ['netns', 'exec', name + where, command, ...args], {
      env: SYSTEM,
      stdio: ['ignore', 'pipe', 'pipe'],
    })
    running.add(child)
    child.once('close', () => running.delete(child))
    return child
  }
  const run: Network['run'] = (where, command, ...args) =>
    new Promise((resolve, reject) => {
      const child = inside(where, command, args)
      let [out, err] = ['', '']
      child.stdout.on('data', (chunk) => (out += String(chunk)))
      child.stderr.on('data', (chunk) => (err += String(chunk)))
      child.once('error', reject)
      child.once('close', (code) =>
        code === 0
          ? resolve(out)
          : reject(new Error(`${command} ${args.join(' ')} ended with ${code}: ${err}`)),
      )
    })
  const echo = inside('isp', process.execPath, [PROBE, 'echo', String(PORT), '853'])
  const upstream = inside('isp', process.execPath, [PROBE, 'dns', '5300'])
  await Promise.all([said(echo, 'ready'), said(upstream, 'ready')])
  let program: ChildProcess | null = null
  const start = async () => {
    const capabilities = via ? '-all' : '-all,+net_admin'
    // Not as root: with the right to administer the network where it runs on the router, and no other.
    program = inside(via ? 'ctl' : 'rtr', 'setpriv', [
      `--reuid=${NOBODY}`,
      `--regid=${NOBODY}`,
      '--clear-groups',
      `--inh-caps=${capabilities}`,
      `--ambient-caps=${capabilities}`,
      `--bounding-set=${capabilities}`,
      '--no-new-privs',
      'env',
      `KAIROSTAT_CLOCK_FILE=${join(folder, 'clock')}`,
      process.execPath,
      ...UNIT_OPTIONS,
      join(folder, 'gateway.mjs'),
      '--dataplane',
      'linux',
      ...lans.flatMap((lan) => ['--lan', lan]),
      ...(via ? ['--via', `ssh://root@192.168.77.1:${SSH_PORT}`] : []),
      '--listen',
      `unix:${folder}/socket`,
      '--token-file',
      join(folder, 'secret'),
      '--state',
      folder,
      '--time-zone',
      'Europe/Lisbon',
      '--upstream',
      `${FAR[4]}#5300`,
      '--leases',
      leases,
      ...more,
    ])
    await said(program, 'listens')
  }
  const kill = async (signal: NodeJS.Signals) => {
    const ended = new Promise((resolve) => program!.once('exit', resolve))
    // `ip netns exec` becomes the program, so the signal reaches it.
    program!.kill(signal)
    await ended
  }
  const server = via && (await startSsh(via, bound, folder, (command, args) => inside('rtr', command, args)))
  const leases = server ? ROUTER_LEASES : join(folder, 'leases')
  writeFileSync(
    server ? join(server.root, leases) : leases,
    `1795428000 ${MACS.A} 192.168.77.10 press-tablet *\n`,
  )
  if (runs) await start()
  const address = `unix:${folder}/socket`
  const gateway = gatewayAt(address, SECRET)
  // The first packets of IPv6 may take a second.
  await Promise.all(
    (['cliA', 'cliB'] as const).flatMap((host) =>
      [4, 6].map((version) => run(host, 'ping', '-c', '1', '-W', '3', FAR[version as 4 | 6])),
    ),
  )
  const probe: Network['probe'] = async (from, mode, version, until, to = FAR[version], port = PORT) =>
    JSON.parse(await run(from, process.execPath, PROBE, mode, to, String(port), String(until))) as number[]
  return {
    gateway,
    address,
    secret: SECRET,
    folder,
    run,
    kill,
    start,
    probe,
    reach: async (from) => {
      const answered = await Promise.all(
        KINDS.map(({ mode, version }) => probe(from, mode, version, '+1500')),
      )
      return KINDS.filter((_, index) => answered[index]!.length > 0)
        .map(({ mode, version }) => `${mode}${version}`)
        .join(' ')
    },
    lookup: async (from, name, type, server, over = 'udp') =>
      (await run(from, process.execPath, PROBE, 'lookup', name, type, server, over)).trim(),
    ask: async (from, name, milliseconds) =>
      JSON.parse(
        await run(from, process.execPath, PROBE, 'ask', name, '192.168.77.1', String(milliseconds)),
      ) as { data: string | null; took: number }[],
    setClock: (instant) =>
      writeFileSync(join(folder, 'clock'), String(Math.round((instant - Date.now()) / 1000))),
    // Fields 14 and 15 of proc(5), in hundredths; the name of the program stands in parentheses before them.
    cpuSeconds: () =>
      readFileSync(`/proc/${program!.pid}/stat`, 'utf8')
        .split(') ')[1]!
        .split(' ')
        .slice(11, 13)
        .reduce((sum, ticks) => sum + Number(ticks), 0) / 100,
    load: async (text) => {
      writeFileSync(join(folder, 'table'), text)
      await run('rtr', 'nft', '-f', join(folder, 'table'))
    },
    enforce: (document) => enforce(gateway, document),
    ssh: server,
    namespaceOf: (where) => name + where,
    stop: async () => {
      if (program?.exitCode === null && program.signalCode === null) await kill('SIGKILL')
      running.forEach((child) => child.kill('SIGKILL'))
      clear()
      rmSync(folder, { recursive: true, force: true })
    },
  }
}

/** Puts a policy in force at a gateway; throws where it is refused. */
export async function enforce(gateway: Gateway, document: object): Promise<void> {
  const read = readPolicy(document)
  if ('faults' in read) throw new Error(JSON.stringify(read.faults))
  const refused = await gateway.enforce({
    document: JSON.parse(canonicalText(read.policy)),
    digest: digestOf(read.policy),
  })
  if (refused) throw new Error(JSON.stringify(refused))
}

/** The longest time (ms) without an answer between two instants (ms). */
export function longestGap(times: readonly number[], from: number, until: number): number {
  const inside = [from, ...times.filter((time) => from < time && time < until).sort((a, b) => a - b), until]
  return Math.max(...inside.slice(1).map((time, index) => time - inside[index]!))
}

/** The rule that blocks the first machine, for `policyOf`. */
export const cutA = {
  rules: [
    {
      id: 'a-off',
      name: 'A off',
      effect: 'block',
      who: { devices: ['a'] },
      what: { internet: true },
      when: { always: true },
    },
  ],
}

/** A policy for the two machines with more to it. */
export function policyOf(more: object): object {
  return {
    kairostat: 1,
    place: { name: 'Bindery', timeZone: 'Europe/Lisbon' },
    devices: [
      { id: 'a', name: 'Press tablet', adapters: [{ mac: MACS.A, medium: 'wifi' }] },
      { id: 'b', name: 'Office desktop', adapters: [{ mac: MACS.B, medium: 'ethernet' }] },
    ],
    ...more,
  }
}

function said(child: ChildProcess, word: string): Promise<void> {
  return new Promise((resolve, reject) => {
    let text = ''
    child.stderr!.on('data', (chunk) => (text += String(chunk)))
    child.stdout!.on('data', (chunk) => {
      text += String(chunk)
      if (text.includes(word)) resolve()
    })
    child.once('exit', (code) => reject(new Error(`ended with ${code}: ${text}`)))
  })
}
