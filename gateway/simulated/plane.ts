import { readDestination, type Destination } from '../../core/destination/destination.ts'
import { instantText } from '../../core/time/instant.ts'
import { networkOf } from '../../core/decision/subject.ts'
import { decidingBy, type Decided } from '../deciding.ts'
import type { DataPlane } from '../plane.ts'
import { troubleLog } from '../alarms.ts'
import { lookupLog } from '../lookups.ts'
import {
  GatewayRefusal,
  NOTHING,
  plus,
  type GatewayChange,
  type Count,
  type Flow,
  type Sighting,
} from '../../protocol/gateway.ts'
import type { Pretence } from '../../protocol/simulation.ts'
import { isThere, pastOf, trafficOf } from './traffic.ts'
import { APPS, type SimulatedDevice } from './workshop.ts'

/** How many of the latest flows are kept. */
const RECENT = 400
/** How often devices send, in milliseconds. */
const TICK = 1000

/** How long a device uses an app that it is made to use, in seconds. */
const USE = 30

/** How long the network goes wrong when it is made to, in seconds, and what is said of it. */
const PRETENCE = 60
const ABOUT: Record<Exclude<Pretence, 'passes'>, string> = {
  'clock-set': '-3600',
  'put-back': 'inet kairostat',
  'passed-by': 'fast',
  'upstream': '203.0.113.53',
}

/** What is told of a device or a clause. */
interface Told {
  readonly passed: Count
  readonly dropped: Count
  readonly logged: Count
  readonly lastDrop: Flow | null
}

/**
 * A network that is made up, in a zone, or in that of the place whose policy it has: its devices send seeded
 * traffic, and each flow is decided by `core/` at the plane's own clock and counted.
 */
export function simulatedPlane(
  network: readonly SimulatedDevice[],
  firstZone: string,
  seed: number,
  followsPlace = false,
): DataPlane {
  let timeZone = firstZone
  const started = Date.now()
  const traffic = trafficOf(network, seed)
  let ahead = 0
  let deciding: ReturnType<typeof decidingBy> | null = null
  let since: string | null = null
  const [devices, clauses] = [new Map<string, Told>(), new Map<string, Told>()]
  let recent: Flow[] = []
  let timer: NodeJS.Timeout | undefined
  let there = 0
  let uses: { readonly mac: string; readonly places: readonly string[]; readonly until: number }[] = []
  const lookups = lookupLog()
  const troubles = troubleLog()
  let leak: { until: number; mac: string | null } | null = null
  /** The network in which each address is, by the policy. */
  let places: ReadonlyMap<string, string | null> = new Map()
  const now = () => Date.now() + ahead
  const text = (milliseconds: number) => instantText(Math.floor(milliseconds / 1000))

  const networkFor = (mac: string) => places.get(mac) ?? null
  const decide = (mac: string, to: string, at: number): Decided => {
    const destination = destinationOf(to)
    const decided = deciding?.(mac, destination, at, networkFor(mac)) ?? {
      verdict: { effect: 'allow', because: null },
      logs: [],
    }
    if (destination.host !== null) lookups.add(mac, destination.host, decided.verdict.effect, at)
    return decided
  }
  const pass = (mac: string, to: string): Flow => {
    const at = Math.floor(now() / 1000)
    const { verdict, logs } = decide(mac, to, at)
    if (leak && second() >= leak.until) leak = null
    if (leak && verdict.effect === 'block') leak.mac ??= mac
    const effect = leak?.mac === mac ? 'allow' : verdict.effect
    const flow: Flow = { at: instantText(at), mac, to, effect, because: verdict.because?.id ?? null }
    count(devices, mac, flow)
    if (flow.because !== null) count(clauses, flow.because, flow)
    const logged = logs.map(({ id }): Flow => ({ ...flow, effect: 'log', because: id }))
    for (const one of logged) count(clauses, one.because!, one)
    recent.unshift(flow, ...logged)
    return flow
  }
  const count = (all: Map<string, Told>, key: string, flow: Flow) => {
    const told = all.get(key) ?? { passed: NOTHING, dropped: NOTHING, logged: NOTHING, lastDrop: null }
    const part = ({ allow: 'passed', block: 'dropped', log: 'logged' } as const)[flow.effect]
    all.set(key, {
      ...told,
      [part]: plus(told[part], sizeOf(flow)),
      ...(flow.effect === 'block' && { lastDrop: flow }),
    })
  }
  const second = () => Math.floor((Date.now() - started) / 1000)
  /** Lets the devices send for a second; returns how many tries that were. */
  const tick = () => {
    uses = uses.filter(({ until }) => second() < until)
    const tries = [
      ...traffic(second()),
      ...uses.map(({ mac, places, until }) => ({ mac, to: places[(until - second()) % places.length]! })),
    ]
    for (const { mac, to } of tries) pass(mac, to)
    recent = recent.slice(0, RECENT)
    return tries.length
  }

  return {
    kind: 'simulated',
    get timeZone() {
      return timeZone
    },
    now,
    simulation: {
      apps: Object.keys(APPS),
      setClock: (instantMs) => {
        ahead = instantMs === null ? 0 : instantMs - Date.now()
      },
      useApp: (mac, app) => {
        const [device, places] = [
          network.find((one) => one.mac === mac),
          Object.hasOwn(APPS, app) ? APPS[app] : undefined,
        ]
        if (!places) return `This network has no app “${app}”.`
        if (!device || !isThere(device, second()))
          return `${device?.hostName ?? mac} is not connected, so it can use nothing.`
        uses.push({ mac, places, until: second() + USE })
        return null
      },
      send: pass,
      pretend: (trouble) => {
        if (trouble === 'passes') leak = { until: second() + PRETENCE, mac: null }
        else troubles.note(trouble, ABOUT[trouble], Math.floor(now() / 1000), PRETENCE)
      },
    },
    troubles: () => troubles.all(Math.floor(now() / 1000)),
    sightings: () =>
      network.flatMap((device): Sighting[] => {
        const now = second()
        const came = (device.stays ?? [{ from: 0, until: Infinity }]).filter(({ from }) => from <= now)
        if (came.length === 0) return []
        const connected = isThere(device, now)
        let last
        if (!device.connected) last = started - device.awayForDays * 86_400_000
        else if (connected) last = Date.now()
        else last = started + came.at(-1)!.until * 1000
        return [
          {
            mac: device.mac,
            hostName: device.hostName,
            addresses: device.addresses,
            interface: device.interface,
            medium: device.medium,
            connected,
            firstSeen: text(started + came[0]!.from * 1000 - device.knownForDays * 86_400_000),
            lastSeen: text(last),
          },
        ]
      }),
    evidence: async () => ({
      since,
      recent,
      devices: [...devices].map(([mac, { passed, dropped, lastDrop }]) => ({
        mac,
        seen: plus(passed, dropped),
        passed,
        dropped,
        lastDrop,
      })),
      clauses: [...clauses].map(([id, told]) => ({ id, ...told })),
    }),
    lookups,
    // Its devices try names, and are shown no page; what is chosen counts for what is kept and told.
    set: async () => {},
    check: async () => null,
    apply: async (next) => {
      const first = deciding === null
      deciding = decidingBy(next)
      if (followsPlace) timeZone = next.place.timeZone
      places = new Map(network.map((device) => [device.mac, networkOf(next.networks, device)]))
      // A network that is made up has a past that is: what it would have looked up under the policy that it
      // begins with.
      if (first)
        for (const { mac, to, at } of pastOf(network, seed, Math.floor(now() / 1000))) decide(mac, to, at)
      since ??= text(now())
      return null
    },
    start: (changed: (change: GatewayChange) => void) => {
      timer = setInterval(() => {
        const before = there
        there = network.filter((device) => isThere(device, second())).length
        if (there !== before) changed('sightings')
        if (tick() > 0) changed('evidence')
      }, TICK)
      timer.unref()
    },
    stop: () => clearInterval(timer),
  }
}

/**
 * What a try would take: one that is dropped, its first packet once more; one that passes more, by its place.
 */
function sizeOf({ to, effect }: Flow): Count {
  if (effect === 'block') return { packets: 2, bytes: 120 }
  const packets = 8 + (to.length % 17)
  return { packets, bytes: packets * 640 }
}

const known = new Map<string, Destination>()

function destinationOf(text: string): Destination {
  const there = known.get(text)
  if (there) return there
  const read = readDestination(text)
  if ('fault' in read) throw new GatewayRefusal(`Nobody can send to “${text}”: ${read.fault}`)
  known.set(text, read)
  return read
}
