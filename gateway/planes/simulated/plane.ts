import type { Effect, Policy } from '../../../core/policy/types.ts'
import { DAY } from '../../../core/time/duration.ts'
import { readDestination, type Destination } from '../../../core/destination/destination.ts'
import { instantText } from '../../../core/time/instant.ts'
import { networkOf } from '../../../core/decision/subject.ts'
import { decidingBy, type Decided } from '../deciding.ts'
import { ACCESS_NAME, type DevicePages } from '../../pages/device-pages.ts'
import { pageServer, type PageServer } from '../../pages/page-server.ts'
import type { DataPlane, PlaneSetting } from '../plane.ts'
import { troubleLog } from '../../state/trouble-log.ts'
import { lookupLog } from '../../state/lookups.ts'
import { GatewayRefusal, type GatewayChange, type Sighting } from '../../../protocol/gateway/gateway.ts'
import { plus, type Evidence, type Flow } from '../../../protocol/gateway/evidence.ts'
import type { Pretence } from '../../../protocol/gateway/simulation.ts'
import type { UsageHour } from '../../../protocol/gateway/usage.ts'
import { pastUse, type PastTry } from './past-use.ts'
import { count, type Counted } from './tally.ts'
import { isThere, pastOf, trafficOf } from './traffic.ts'
import { APPS, INTERFACES, type SimulatedDevice } from './workshop.ts'

/** The number of the latest flows that are kept. */
const MAX_RECENT_FLOWS = 400
/** The time between two turns in which devices send. */
const SEND_EVERY_MS = 1000

/** The time for which a device uses an app that it is made to use. */
const APP_USE_SECONDS = 30

/** The time for which the network goes wrong when it is made to, and the words that are said of it. */
const PRETENCE_SECONDS = 60
const ABOUT: Record<Exclude<Pretence, 'passes'>, string> = {
  'clock-set': '-3600',
  'put-back': 'inet kairostat',
  'passed-by': 'fast',
  'upstream': '203.0.113.53',
}

/** Controls a simulated network. */
export interface SimulationControls {
  /** The names of its made-up apps. */
  readonly apps: readonly string[]
  /** Returns the usage of its made-up past; empty before the first policy. */
  pastUse(): readonly UsageHour[]
  /** Sets its clock to milliseconds since 1970; `null` = it is the machine's again. */
  setClock(instantMs: number | null): void
  /** Has a device use an app for half a minute; returns why it cannot, or `null`. */
  useApp(mac: string, app: string): string | null
  /**
   * Has a device try a destination.
   *
   * @throws GatewayRefusal where that is none
   */
  send(mac: string, to: string): Flow
  /** Makes it go wrong in one way for a minute. */
  pretend(trouble: Pretence): void
}

/** The settings of a simulated network. */
export interface SimulatedSetting {
  /** Its time zone; with `followsPlace` only until a policy says that of the place. */
  readonly timeZone: string
  readonly followsPlace?: boolean
  /** The seed of its traffic. */
  readonly seed: number
  /**
   * The port of this machine on which the pages of devices are shown (`simulatedClient` says under which
   * names); `null` = they are not shown.
   */
  readonly pagePort?: number | null
}

/** A plane whose network is made up. */
export interface SimulatedPlane extends DataPlane {
  readonly simulation: SimulationControls
}

/**
 * Makes a network up: its devices send seeded traffic, and each flow is decided by `core/` at the plane's own
 * clock and counted.
 */
export function simulatedPlane(
  network: readonly SimulatedDevice[],
  setting: SimulatedSetting,
): SimulatedPlane {
  return new MadeUpNetwork(network, setting)
}

/**
 * Returns the device behind a name of a simulated network's page, and the name that it asks for.
 *
 * | name                                       | device            | asks for                  |
 * |--------------------------------------------|-------------------|---------------------------|
 * | `02-5e-10-00-00-09.localhost`              | 02:5e:10:00:00:09 | its own access            |
 * | `games.example.02-5e-10-00-00-09.localhost`| 02:5e:10:00:00:09 | `games.example`           |
 */
export function simulatedClient(name: string): { mac: string | null; name: string } {
  const [, asked, mac] = /^(?:(.+)\.)?((?:[\da-f]{2}-){5}[\da-f]{2})\.localhost$/.exec(name) ?? []
  return { mac: mac?.replaceAll('-', ':') ?? null, name: asked ?? ACCESS_NAME }
}

class MadeUpNetwork implements SimulatedPlane {
  readonly kind = 'simulated'
  readonly lookEveryMs = 1000
  readonly lookups = lookupLog()
  readonly simulation: SimulationControls
  timeZone: string
  readonly #troubles = troubleLog()
  readonly #started = Date.now()
  readonly #traffic
  readonly #page: PageServer | null
  #pages: DevicePages | null = null
  #aheadMs = 0
  #decide: ReturnType<typeof decidingBy> | null = null
  /** Since when there is something to count (ISO, in UTC). */
  #since: string | null = null
  readonly #devices = new Map<string, Counted>()
  readonly #clauses = new Map<string, Counted>()
  #recent: Flow[] = []
  #past: readonly UsageHour[] = []
  #timer: NodeJS.Timeout | undefined
  #connected = 0
  /** Apps that devices are made to use, until a second of the simulation. */
  #uses: { readonly mac: string; readonly hosts: readonly string[]; readonly until: number }[] = []
  /** A blocked device that gets through, `null` until one tries, until a second of the simulation. */
  #leak: { until: number; mac: string | null } | null = null
  /** The network in which each address is, by the policy. */
  #networks: ReadonlyMap<string, string | null> = new Map()

  constructor(
    private readonly network: readonly SimulatedDevice[],
    private readonly setting: SimulatedSetting,
  ) {
    const { timeZone, seed, pagePort = null } = setting
    this.timeZone = timeZone
    this.#traffic = trafficOf(network, seed)
    this.#page =
      pagePort === null
        ? null
        : pageServer({
            port: pagePort,
            address: '127.0.0.1',
            clientOf: async (_, name) => simulatedClient(name),
            pages: () => this.#pages,
            fault: (error) => console.error(error),
          })
    this.simulation = {
      apps: Object.keys(APPS),
      pastUse: () => this.#past,
      setClock: (instantMs) => {
        this.#aheadMs = instantMs === null ? 0 : instantMs - Date.now()
      },
      useApp: (mac, app) => this.#useApp(mac, app),
      send: (mac, to) => this.#send(mac, to),
      pretend: (trouble) => this.#pretend(trouble),
    }
  }

  now(): number {
    return Date.now() + this.#aheadMs
  }

  troubles() {
    return this.#troubles.all(this.#seconds())
  }

  #useApp(mac: string, app: string): string | null {
    const hosts = Object.hasOwn(APPS, app) ? APPS[app] : undefined
    if (!hosts) return `This network has no app “${app}”.`
    const device = this.network.find((one) => one.mac === mac)
    if (!device || !isThere(device, this.#second()))
      return `${device?.hostName ?? mac} is not connected, so it can use nothing.`
    this.#uses = [
      ...this.#uses.filter((use) => use.mac !== mac || use.hosts !== hosts),
      { mac, hosts, until: this.#second() + APP_USE_SECONDS },
    ]
    this.#send(mac, hosts[0]!)
    return null
  }

  /** Has a device try a destination; throws GatewayRefusal where that is none. */
  #send(mac: string, to: string): Flow {
    const at = this.#seconds()
    const { verdict, logs } = this.#decided(mac, to, at)
    const effect = this.#leaks(mac, verdict.effect) ? 'allow' : verdict.effect
    const flow: Flow = { at: instantText(at), mac, to, effect, because: verdict.decidedBy?.id ?? null }
    const logged = logs.map(({ id }): Flow => ({ ...flow, effect: 'log', because: id }))
    count(this.#devices, mac, flow)
    for (const one of [flow, ...logged]) if (one.because !== null) count(this.#clauses, one.because, one)
    this.#recent.unshift(flow, ...logged)
    return flow
  }

  #pretend(trouble: Pretence): void {
    if (trouble === 'passes') this.#leak = { until: this.#second() + PRETENCE_SECONDS, mac: null }
    else this.#troubles.note(trouble, ABOUT[trouble], this.#seconds(), PRETENCE_SECONDS)
  }

  interfaces() {
    const names = [...new Set(this.network.map((device) => device.interface))]
    return names.map((name) => ({ name, addresses: INTERFACES[name] ?? [] }))
  }

  sightings(): Sighting[] {
    return this.network.flatMap((device) => {
      const came = (device.stays ?? [{ from: 0, until: Infinity }]).filter(
        ({ from }) => from <= this.#second(),
      )
      return came.length === 0 ? [] : [this.#sighting(device, came)]
    })
  }

  async evidence(): Promise<Evidence> {
    return {
      since: this.#since,
      recent: this.#recent,
      devices: [...this.#devices].map(([mac, { passed, received, dropped, lastDrop }]) => ({
        mac,
        seen: plus(passed, dropped),
        passed,
        received,
        dropped,
        lastDrop,
      })),
      clauses: [...this.#clauses].map(([id, counted]) => ({ id, ...counted })),
    }
  }

  /** The settings count for stored data and reports; the pages are shown where there is a port for them. */
  async set({ pages }: PlaneSetting) {
    await this.#page?.show(pages !== null)
    this.#pages = pages
  }

  /** Nobody makes up addresses here. */
  async limitStrangers() {}

  async check() {
    return null
  }

  async apply(policy: Policy): Promise<null> {
    const isFirst = this.#decide === null
    this.#decide = decidingBy(policy)
    if (this.setting.followsPlace) this.timeZone = policy.place.timeZone
    this.#networks = new Map(this.network.map((device) => [device.mac, networkOf(policy.networks, device)]))
    // A network that is made up has a past that is: what it would have looked up under its first policy.
    if (isFirst) this.#past = pastUse(this.#pastTries(), this.timeZone)
    this.#since ??= instantText(this.#seconds())
    return null
  }

  start(changed: (change: GatewayChange) => void): void {
    this.#timer = setInterval(() => {
      const before = this.#connected
      this.#connected = this.network.filter((device) => isThere(device, this.#second())).length
      if (this.#connected !== before) changed('sightings')
      if (this.#tick() > 0) changed('evidence')
    }, SEND_EVERY_MS)
    this.#timer.unref()
  }

  stop(): void {
    clearInterval(this.#timer)
    void this.#page?.show(false)
  }

  #pastTries(): PastTry[] {
    return pastOf(this.network, this.setting.seed, this.#seconds()).map(({ mac, to, at }) => {
      const { effect } = this.#decided(mac, to, at).verdict
      return { mac, network: this.#networks.get(mac) ?? null, to, at, effect }
    })
  }

  /** Lets the devices send for a second; returns how many tries that were. */
  #tick(): number {
    const now = this.#second()
    this.#uses = this.#uses.filter(({ until }) => now < until)
    const tries = [
      ...this.#traffic(now),
      ...this.#uses.map(({ mac, hosts, until }) => ({ mac, to: hosts[(until - now) % hosts.length]! })),
    ]
    for (const { mac, to } of tries) this.#send(mac, to)
    this.#recent = this.#recent.slice(0, MAX_RECENT_FLOWS)
    return tries.length
  }

  #decided(mac: string, to: string, at: number): Decided {
    const destination = destinationOf(to)
    const network = this.#networks.get(mac) ?? null
    const decided = this.#decide?.(mac, destination, at, network) ?? UNDECIDED
    if (destination.host !== null) this.lookups.add(mac, destination.host, decided.verdict.effect, at)
    return decided
  }

  /** Whether somebody who is blocked gets through: the first who tries while the network is made to leak. */
  #leaks(mac: string, effect: Effect): boolean {
    if (this.#leak && this.#second() >= this.#leak.until) this.#leak = null
    if (this.#leak && effect === 'block') this.#leak.mac ??= mac
    return this.#leak?.mac === mac
  }

  #sighting(
    device: SimulatedDevice,
    came: readonly { readonly from: number; readonly until: number }[],
  ): Sighting {
    const text = (instantMs: number) => instantText(Math.floor(instantMs / 1000))
    const connected = isThere(device, this.#second())
    let lastMs
    if (!device.connected) lastMs = this.#started - device.awayForDays * DAY * 1000
    else if (connected) lastMs = Date.now()
    else lastMs = this.#started + came.at(-1)!.until * 1000
    return {
      mac: device.mac,
      hostName: device.hostName,
      addresses: device.addresses,
      interface: device.interface,
      medium: device.medium,
      connected,
      firstSeen: text(this.#started + came[0]!.from * 1000 - device.knownForDays * DAY * 1000),
      lastSeen: text(lastMs),
    }
  }

  #seconds(): number {
    return Math.floor(this.now() / 1000)
  }

  /** Returns the seconds for which the simulation has run. */
  #second(): number {
    return Math.floor((Date.now() - this.#started) / 1000)
  }
}

/** The verdict on a try before the first policy. */
const UNDECIDED: Decided = { verdict: { effect: 'allow', decidedBy: null }, logs: [] }

const known = new Map<string, Destination>()

function destinationOf(text: string): Destination {
  const there = known.get(text)
  if (there) return there
  const read = readDestination(text)
  if ('fault' in read) throw new GatewayRefusal(`Nobody can send to “${text}”: ${read.fault}`)
  known.set(text, read)
  return read
}
