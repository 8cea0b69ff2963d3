import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { UNIT_ENVIRONMENT, UNIT_OPTIONS } from '../support/unit.ts'

/** A second and the 99th percentile of the time to one, in milliseconds. */
interface Speed {
  readonly rate: number
  readonly p99: number
}
/**
 * Our resolver and dnsmasq with the same million names, in turns: names that are closed, that are open, and
 * open ones that nobody asked for before. `shares` are ours as a part of dnsmasq's, turn by turn, and the
 * middle of these: the machine is faster now and slower then. Memory in MB.
 */
export interface NameFigures {
  readonly ours: Record<Kind, Speed>
  readonly shares: Record<Kind, Speed>
  readonly memory: { readonly ours: number; readonly dnsmasq: number }
}
const KINDS = ['closed', 'open', 'fresh'] as const
type Kind = (typeof KINDS)[number]

const NAMES = 1_000_000
const UPSTREAM = 5301
const PORTS = { dnsmasq: 5302, ours: 5303 } as const
/** The number of measures of each, in turns; figures nearer to their target are measured more often. */
const TURNS: Record<Kind, number> = { closed: 5, open: 5, fresh: 15 }
/**
 * For how many seconds each is measured, and for how many it is asked before: one that was idle has its
 * memory to fetch first.
 */
const SECONDS = 1
const WARM = 1

const nameOf = (index: number) =>
  `n${(Math.imul(index, 2654435761) >>> 0).toString(36)}.list${index % 97}.example`
const middle = (numbers: readonly number[]) =>
  numbers.toSorted((a, b) => a - b)[Math.floor(numbers.length / 2)]!

/** Measures both, with dnsperf, over loopback. */
export async function nameFigures(
  { names: count, turns } = { names: NAMES, turns: TURNS },
): Promise<NameFigures> {
  const folder = mkdtempSync(join(tmpdir(), 'kairostat-names-'))
  const file = (name: string, lines: readonly string[]) => {
    writeFileSync(join(folder, name), lines.join('\n') + '\n')
    return join(folder, name)
  }
  const all = Array.from({ length: count }, (_, index) => nameOf(index))
  const names = file('names', all)
  const config = file(
    'dnsmasq.conf',
    all.map((name) => `address=/${name}/`),
  )
  const common = [
    '--keep-in-foreground',
    '--user=root',
    '--no-hosts',
    '--no-resolv',
    '--listen-address=127.0.0.1',
    '--bind-interfaces',
    '--pid-file=',
  ]
  const started: ChildProcess[] = []
  const start = (command: string, args: string[]) => {
    const child = spawn(command, args, { stdio: ['ignore', 'pipe', 'ignore'], env: UNIT_ENVIRONMENT })
    started.push(child)
    return child
  }
  try {
    start('dnsmasq', [
      '--conf-file=/dev/null',
      ...common,
      `--port=${UPSTREAM}`,
      '--local-ttl=300',
      '--address=/#/203.0.113.10',
    ])
    const dnsmasq = start('dnsmasq', [
      `--conf-file=${config}`,
      ...common,
      `--port=${PORTS.dnsmasq}`,
      `--server=127.0.0.1#${UPSTREAM}`,
      '--dns-forward-max=1000',
    ])
    const ours = start(process.execPath, [
      ...UNIT_OPTIONS,
      '--expose-gc',
      join(import.meta.dirname, 'bench-names.mjs'),
      names,
      String(PORTS.ours),
      String(UPSTREAM),
    ])
    await new Promise<void>((resolve, reject) => {
      ours.stdout!.once('data', () => resolve())
      ours.once('exit', (code) => reject(new Error(`The resolver ended with ${code}.`)))
    })
    let fresh = 0
    const asked: Record<Kind, () => string> = {
      closed: () =>
        file(
          'asked',
          Array.from({ length: 10_000 }, (_, index) => `${nameOf((index * 97) % count)} A`),
        ),
      open: () =>
        file(
          'asked',
          Array.from({ length: 10_000 }, (_, index) => `host${index}.elsewhere.example A`),
        ),
      fresh: () =>
        file(
          'asked',
          Array.from({ length: 100_000 }, () => `host${fresh++}.fresh.example A`),
        ),
    }
    const speeds = { ours: empty(), dnsmasq: empty() }
    for (const kind of KINDS) {
      for (let turn = 0; turn < turns[kind]; turn++)
        for (const who of turn % 2 === 0 ? (['dnsmasq', 'ours'] as const) : (['ours', 'dnsmasq'] as const)) {
          dnsperf(PORTS[who], asked[kind](), WARM)
          speeds[who][kind].push(dnsperf(PORTS[who], asked[kind](), SECONDS))
        }
    }
    const each = <T>(of: (kind: Kind) => T) =>
      Object.fromEntries(KINDS.map((kind): [Kind, T] => [kind, of(kind)])) as Record<Kind, T>
    const middles = (all: readonly Speed[]) => ({
      rate: middle(all.map(({ rate }) => rate)),
      p99: middle(all.map(({ p99 }) => p99)),
    })
    return {
      ours: each((kind) => middles(speeds.ours[kind])),
      shares: each((kind) =>
        middles(
          speeds.ours[kind].map(({ rate, p99 }, turn) => ({
            rate: rate / speeds.dnsmasq[kind][turn]!.rate,
            p99: p99 / speeds.dnsmasq[kind][turn]!.p99,
          })),
        ),
      ),
      memory: { ours: memoryOf(ours), dnsmasq: memoryOf(dnsmasq) },
    }
  } finally {
    started.forEach((child) => child.kill('SIGKILL'))
    rmSync(folder, { recursive: true, force: true })
  }
}

const empty = (): Record<Kind, Speed[]> => ({ closed: [], open: [], fresh: [] })

function dnsperf(port: number, asked: string, seconds: number): Speed {
  const { stdout, stderr } = spawnSync(
    'dnsperf',
    [
      '-s',
      '127.0.0.1',
      '-p',
      String(port),
      '-d',
      asked,
      '-c',
      '1',
      '-T',
      '1',
      '-q',
      '100',
      '-l',
      String(seconds),
      '-v',
    ],
    { encoding: 'utf8', maxBuffer: 1 << 28 },
  )
  const rate = /Queries per second:\s+([\d.]+)/.exec(stdout)?.[1]
  if (rate === undefined) throw new Error(`dnsperf: ${stderr || stdout.slice(-300)}`)
  const times = [...stdout.matchAll(/^> \S+ \S+ A ([\d.]+)$/gm)]
    .map(([, seconds]) => Number(seconds) * 1000)
    .sort((a, b) => a - b)
  return { rate: Number(rate), p99: times[Math.floor(times.length * 0.99)]! }
}

function memoryOf({ pid }: ChildProcess): number {
  return Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) / 1000
}
