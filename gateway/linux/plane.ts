import { spawn, type ChildProcess } from 'node:child_process'
import { compile } from '../../core/decision/compile.ts'
import { planOf, type Plan } from '../../core/plan/plan.ts'
import type { Policy } from '../../core/policy/types.ts'
import { DAY, instantText } from '../../core/time/instant.ts'
import { keep, readKept } from '../kept.ts'
import type { DataPlane } from '../plane.ts'
import type { Change, Evidence, Refusal } from '../protocol.ts'
import { evidenceOf, readTable, type Counts } from './evidence.ts'
import { SYSTEM, tool, ToolFault } from './nft.ts'
import { turns } from '../turns.ts'
import { startResolver, type ResolverSetting } from '../names/resolver.ts'
import { namesKnown } from './names.ts'
import { neighbourhood } from './sightings.ts'
import { NEWCOMER, TABLE, tableText, type Setting } from './table.ts'

/** How far a plan reaches, and how much of it may be over before the next is made, in seconds. */
const HORIZON = 14 * DAY
const RENEWED = DAY
/** How far a plan reaches back, in seconds: a clock that is set back a little finds itself in it still. */
const BACK = 3600
/** How often the plane looks about, in milliseconds. */
const TICK = 1000
/** A clock that is off by so many milliseconds from one look to the next was set. */
const JUMP = 2000

/** What a Linux plane is told: the interface of the local network, its time zone, what is done outside the plan, the resolver, where the numbers of addresses are kept (`null` = only in memory). */
export interface LinuxSetting extends Pick<Setting, 'lan' | 'outside'> {
  /** The port of the resolver, which all look-ups of the local network are led to, and where it asks in its turn. */
  readonly resolver: number
  readonly upstreams: ResolverSetting['upstreams']
  readonly timeZone: string
  readonly numbersFile: string | null
  /** Told of what could not be done while nobody asked. */
  readonly fault: (error: unknown, doing: string) => void
}

/** The network of a Linux router: nftables holds the devices to a plan in absolute time, so that the kernel goes on by itself. Throws ToolFault where nft cannot be used. */
export async function linuxPlane({ lan, outside, resolver, upstreams, timeZone, numbersFile, fault }: LinuxSetting): Promise<DataPlane> {
  // The interface may come later: at the start of a machine the policy is loaded before the network is up.
  await tool('nft', ['list', 'tables'])
  const numbers = new Map<string, number>(numbersFile === null ? [] : await readNumbers(numbersFile))
  const there = neighbourhood()
  const names = namesKnown()
  let held: { policy: Policy, plan: Plan, since: string, counts: Counts } | null = null
  let changed: (change: Change) => void = () => {}
  let timer: NodeJS.Timeout | undefined
  let monitor: ChildProcess | undefined
  let stopped = false
  const seconds = () => Math.floor(Date.now() / 1000)
  // What goes wrong every second is told once.
  let told = ''
  const tellFault = (error: unknown, doing: string) => {
    if (String(error) !== told) fault(error, doing)
    told = String(error)
  }

  const makeText = async (policy: Policy) => {
    const macs = policy.devices.flatMap(({ adapters }) => adapters.map(({ mac }) => mac))
    const more = numberNew(numbers, macs)
    if (more && numbersFile !== null) await keep(numbersFile, JSON.stringify(Object.fromEntries(numbers)))
    const compiled = compile(policy)
    const plan = planOf(compiled, seconds() - BACK, seconds() + HORIZON)
    return { compiled, plan, text: tableText(plan, { lan, numbers, outside, resolver, found: names.of(plan, seconds()) }) }
  }
  // The table and what goes into it afterwards, one after the other: an address that is found while another table is written would be missing in that.
  const inTurn = turns()
  const hold = async (policy: Policy) => {
    const { compiled, plan, text } = await makeText(policy)
    await tool('nft', ['-f', '-'], text)
    names.hold(compiled, plan)
    return plan
  }
  const counted = async () => {
    if (!held) return null
    const read = readTable(await tool('nft', ['-j', 'list', 'table', ...TABLE.split(' ')]), held.plan, Date.now() / 1000)
    return { flows: read.flows, counts: together(held.counts, read.counts) }
  }
  /** The same policy once more, counted on. */
  const again = () => inTurn(async () => {
    if (!held) return
    const { counts } = await counted().catch(() => null) ?? held
    held = { ...held, counts, plan: await hold(held.policy) }
  })
  const isWhole = async () => {
    const listing = await tool('nft', ['list', 'chain', ...TABLE.split(' '), 'forward']).catch(() => '')
    return (listing.match(/vmap @/g)?.length ?? 0) === 2
  }

  let looked = { wall: Date.now(), steady: performance.now() }
  const look = async () => {
    const now = { wall: Date.now(), steady: performance.now() }
    const jumped = Math.abs(now.wall - looked.wall - (now.steady - looked.steady)) > JUMP
    looked = now
    if (held && (jumped || seconds() > held.plan.from + BACK + RENEWED)) await again()
    if (jumped) changed('status')
    await readNeighbours()
    changed('evidence')
  }
  const readNeighbours = async () => {
    if (there.read(await tool('ip', ['-j', 'neigh', 'show', 'dev', lan]), seconds())) changed('sightings')
  }
  let reading: Promise<void> | null = null
  const lookups = await startResolver({
    port: resolver, upstreams,
    rule: async (name, from) => {
      // Somebody who has just come is in the neighbour table before the packet is here.
      if (there.macOf(from) === null) await (reading ??= readNeighbours().finally(() => reading = null))
      return names.rule(name, there.macOf(from), seconds())
    },
    resolved: (name, _from, addresses) => inTurn(async () => {
      const fresh = names.found(name, addresses, seconds())
      if (fresh.length > 0) await tool('nft', ['-f', '-'], fresh.map(addLines).join(''))
    }),
    fault: error => tellFault(error, 'answering look-ups'),
  })
  // Somebody else may flush what is ours: the kernel tells of it, and it is put back.
  let heard: NodeJS.Timeout | undefined
  const listen = () => {
    monitor = spawn('nft', ['monitor', 'destroy'], { env: SYSTEM, stdio: ['ignore', 'pipe', 'ignore'] })
    monitor.stdout!.on('data', () => {
      heard ??= setTimeout(() => {
        heard = undefined
        // In turn, so that our own replacement, which is heard too, is over; made anew, with what was found for names since.
        inTurn(async () => {
          if (held && !stopped && !await isWhole()) await hold(held.policy)
        }).catch((error: unknown) => tellFault(error, 'putting back the table that somebody flushed'))
      }, 20)
    })
    monitor.once('close', () => {
      if (!stopped) setTimeout(listen, TICK).unref()
    })
    monitor.once('error', (error: unknown) => tellFault(error, 'watching the table'))
  }

  return {
    kind: 'linux',
    timeZone,
    now: () => Date.now(),
    sightings: () => there.all(),
    evidence: async (): Promise<Evidence> => {
      const found = await counted()
      return found ? evidenceOf(found.counts, found.flows, numbers, held!.since) : { since: null, devices: [], recent: [] }
    },
    lookups: since => names.log.since(since),
    check: async (policy): Promise<Refusal> => {
      const { text } = await makeText(policy)
      return tool('nft', ['-c', '-f', '-'], text).then(() => null, (error: unknown) => {
        if (error instanceof ToolFault) return [{ path: '', message: `cannot be put into the packet filter: ${error.message}` }]
        throw error
      })
    },
    apply: policy => inTurn(async () => {
      held = { policy, plan: await hold(policy), since: instantText(seconds()), counts: { sent: new Map(), dropped: new Map() } }
    }),
    start: (tell) => {
      changed = tell
      listen()
      const next = () => {
        timer = setTimeout(() => void look().then(() => told = '', (error: unknown) => tellFault(error, 'looking at the network')).finally(() => stopped || next()), TICK)
      }
      next()
    },
    stop: () => {
      stopped = true
      clearTimeout(timer)
      clearTimeout(heard)
      monitor?.kill()
      lookups.stop()
    },
  }
}

/** Addresses into a set of our table, each beside those of its version of IP. */
function addLines({ set, addresses }: { readonly set: string, readonly addresses: readonly string[] }): string {
  return ([['v4', false], ['v6', true]] as const).map(([version, six]) => {
    const some = addresses.filter(address => address.includes(':') === six)
    return some.length === 0 ? '' : `add element ${TABLE} ${set}${version} { ${some.join(', ')} }\n`
  }).join('')
}

/** Gives every address without a number the next that is free; answers whether there were any. */
function numberNew(numbers: Map<string, number>, macs: readonly string[]): boolean {
  const fresh = macs.filter(mac => !numbers.has(mac))
  let next = Math.max(0, ...numbers.values())
  for (const mac of fresh) numbers.set(mac, ++next)
  if (next >= NEWCOMER) throw new RangeError(`A Linux gateway tells ${NEWCOMER - 1} addresses apart, and there are more.`)
  return fresh.length > 0
}

async function readNumbers(file: string): Promise<[string, number][]> {
  return Object.entries(JSON.parse(await readKept(file) ?? '{}') as Record<string, number>)
}

function together(a: Counts, b: Counts): Counts {
  const sum = <K>(one: ReadonlyMap<K, number>, other: ReadonlyMap<K, number>) => new Map([...one, ...[...other].map(([key, count]): [K, number] => [key, count + (one.get(key) ?? 0)])])
  return { sent: sum(a.sent, b.sent), dropped: sum(a.dropped, b.dropped) }
}
