import { compile, subjectOfMac, type Compiled } from '../../core/decision/compile.ts'
import { verdictAt } from '../../core/decision/moment.ts'
import { readDestination, type Destination } from '../../core/destination/destination.ts'
import { instantText } from '../../core/time/instant.ts'
import type { DataPlane } from '../plane.ts'
import { lookupLog } from '../lookups.ts'
import type { Change, Flow, Sighting } from '../protocol.ts'
import { isThere, pastOf, trafficOf } from './traffic.ts'
import { APPS, type SimulatedDevice } from './workshop.ts'

/** How many of the latest flows are kept. */
const RECENT = 400
/** How often devices send, in milliseconds. */
const TICK = 1000

/** How long a device uses an app that it is made to use, in seconds. */
const USE = 30

interface Count { passed: number, dropped: number, lastDrop: Flow | null }

/** A network that is made up: its devices send seeded traffic, and each flow is decided by `core/` at the plane's own clock and counted. */
export function simulatedPlane(network: readonly SimulatedDevice[], timeZone: string, seed: number): DataPlane {
  const started = Date.now()
  const traffic = trafficOf(network, seed)
  let ahead = 0
  let policy: Compiled | null = null
  let since: string | null = null
  let counts = new Map<string, Count>()
  let recent: Flow[] = []
  let timer: NodeJS.Timeout | undefined
  let there = 0
  let uses: { readonly mac: string, readonly places: readonly string[], readonly until: number }[] = []
  const lookups = lookupLog()
  const now = () => Date.now() + ahead
  const text = (milliseconds: number) => instantText(Math.floor(milliseconds / 1000))

  const decide = (mac: string, to: string, at: number) => {
    const destination = destinationOf(to)
    const verdict = policy ? verdictAt(policy, subjectOfMac(policy, mac), at, destination) : { effect: 'allow' as const, because: null }
    if (destination.host !== null) lookups.add(mac, destination.host, verdict.effect, at)
    return verdict
  }
  const pass = (mac: string, to: string) => {
    const at = Math.floor(now() / 1000)
    const verdict = decide(mac, to, at)
    const flow: Flow = { at: instantText(at), mac, to, effect: verdict.effect, because: verdict.because?.kind === 'shielded' ? null : verdict.because?.id ?? null }
    const count = counts.get(mac) ?? { passed: 0, dropped: 0, lastDrop: null }
    counts.set(mac, flow.effect === 'allow'
      ? { ...count, passed: count.passed + 1 }
      : { ...count, dropped: count.dropped + 1, lastDrop: flow })
    recent.unshift(flow)
  }
  const second = () => Math.floor((Date.now() - started) / 1000)
  const tick = () => {
    for (const { mac, to } of traffic(second())) pass(mac, to)
    uses = uses.filter(({ until }) => second() < until)
    for (const { mac, places, until } of uses) pass(mac, places[(until - second()) % places.length]!)
    recent = recent.slice(0, RECENT)
  }

  return {
    kind: 'simulated',
    timeZone,
    now,
    setClock: (instant) => {
      ahead = instant === null ? 0 : instant - Date.now()
    },
    apps: Object.keys(APPS),
    useApp: (mac, app) => {
      const [device, places] = [network.find(one => one.mac === mac), APPS[app]]
      if (!places) return `This network has no app “${app}”.`
      if (!device || !isThere(device, second())) return `${device?.hostName ?? mac} is not connected, so it can use nothing.`
      uses.push({ mac, places, until: second() + USE })
      return null
    },
    sightings: () => network.flatMap((device): Sighting[] => {
      const now = second()
      const came = (device.stays ?? [{ from: 0, until: Infinity }]).filter(({ from }) => from <= now)
      if (came.length === 0) return []
      const connected = isThere(device, now)
      const last = !device.connected ? started - device.awayForDays * 86_400_000 : connected ? Date.now() : started + came.at(-1)!.until * 1000
      return [{
        mac: device.mac, hostName: device.hostName, addresses: device.addresses, medium: device.medium, connected,
        firstSeen: text(started + came[0]!.from * 1000 - device.knownForDays * 86_400_000), lastSeen: text(last),
      }]
    }),
    evidence: async () => ({ since, devices: [...counts].map(([mac, count]) => ({ mac, ...count })), recent }),
    lookups: since => lookups.since(since),
    check: async () => null,
    apply: async (next) => {
      const first = policy === null
      policy = compile(next)
      // A network that is made up has a past that is: what it would have looked up under the policy that it begins with.
      if (first) for (const { mac, to, at } of pastOf(network, seed, Math.floor(now() / 1000))) decide(mac, to, at)
      since = text(now())
      counts = new Map()
    },
    start: (changed: (change: Change) => void) => {
      timer = setInterval(() => {
        const before = there
        there = network.filter(device => isThere(device, second())).length
        tick()
        if (there !== before) changed('sightings')
        changed('evidence')
      }, TICK)
      timer.unref()
    },
    stop: () => clearInterval(timer),
  }
}

const known = new Map<string, Destination>()

function destinationOf(text: string): Destination {
  const there = known.get(text)
  if (there) return there
  const read = readDestination(text)
  if ('fault' in read) throw new Error(`The simulated network sends to a place that cannot be: ${read.fault}`)
  known.set(text, read)
  return read
}
