import { HOUR } from '../../../core/time/duration.ts'
import type { GatewayChange } from '../../../protocol/gateway/gateway.ts'
import type { ResolverSetting } from '../../dns/resolver.ts'
import { pacedLoop } from '../../../node/paced-loop.ts'
import type { DataPlane, PlaneSetting } from '../plane.ts'
import { ClockFloor } from './watch/clock-floor.ts'
import { RouterClock } from './watch/clock.ts'
import { CounterReader } from './watch/counter-reader.ts'
import { NameEnforcement } from './name-enforcement.ts'
import { NeighbourWatch } from './watch/neighbour-watch.ts'
import type { MarkRegistry } from './table/mark-registry.ts'
import type { Lead } from './table/lead-setting.ts'
import { HEARTBEAT, isShown, realAddress } from './table/lead.ts'
import { LeadWatch } from './watch/lead-watch.ts'
import { OffloadWatch, type Offload } from './table/offload.ts'
import { PlaneTroubles } from './watch/plane-troubles.ts'
import type { RouterSystem } from './system.ts'
import { TABLE, type Setting } from './table/table-setting.ts'
import { busiestPort } from './watch/sightings.ts'
import { watchTaken } from './watch/table-watch.ts'
import { TableWriter } from './table/table-writer.ts'
import { trafficCount } from './table/traffic-count.ts'

/** The rest after a look, as a multiple of its computing time. */
const REST_FACTOR = 30
/** After how many looks flow tables are looked for, and whether our table is what was written. */
const LOOKS = 30
/** After how many looks lease files are read: they tell names alone. */
const LEASE_LOOKS = 3
/**
 * The time for which a clock that was set or a table that was removed is told, and traffic that passes our
 * rules, in seconds.
 */
const TOLD = HOUR
const PASSED_BY = 45

/** The least milliseconds between two choices of the addresses under which clients are shown. */
const TURN_MS = 60_000

/** The work in words, for when it fails. */
const BINDING = 'keeping restricted devices out of the flow tables'

/** The ports that a plane takes where nobody says another: of unknown devices' look-ups, and of the page. */
export const PORTS = { newcomers: 3353, page: 3380 } as const

/** The surroundings of a Linux plane. */
export interface LinuxSetting extends Pick<Setting, 'lans' | 'outside'> {
  /** The machine that forwards the packets. */
  readonly system: RouterSystem
  readonly upstreams: ResolverSetting['upstreams']
  /** The devices whose connections the router's firewall may forward past the rules. */
  readonly offload: Offload
  /** The fate of look-ups that are led to this machine once it is silent. */
  readonly alone: Lead['alone']
  /** Hears of each table that is in force. */
  readonly written?: (table: string) => void
  /** The port on which look-ups of unknown devices are answered, where it is free. */
  readonly newcomersPort: number
  /** The port of the page that says what is blocked; open while it is shown. */
  readonly pagePort: number
  /** The lease files of the network, for the names of devices; one that is not there yet holds nothing. */
  readonly leases: readonly string[]
  readonly timeZone: string
  readonly numbers: MarkRegistry
  /**
   * For tests: a file with the seconds by which its clock is ahead of the machine's; `null` = it is the
   * machine's.
   */
  readonly clockFile: string | null
  /** The file that keeps the last time that is known to have been; `null` = none. */
  readonly clockFloorFile: string | null
  /** Told of what could not be done while nobody asked. */
  readonly fault: (error: unknown, doing: string) => void
}

/**
 * The network of a Linux router: nftables holds the devices to a plan in absolute time, so that the kernel
 * goes on by itself.
 *
 * @throws ToolFault where nft cannot be used
 */
export async function linuxPlane(options: LinuxSetting): Promise<DataPlane> {
  // The interface may come later: at the start of a machine the policy is loaded before the network is up.
  await options.system.run('nft', ['list', 'tables'])
  const plane = new LinuxPlane(options)
  try {
    await plane.begin()
  } catch (error) {
    plane.stop()
    throw error
  }
  return plane
}

class LinuxPlane implements DataPlane {
  readonly kind = 'linux'
  readonly timeZone: string
  #areStrangersSpent = false
  #setting: PlaneSetting = { closedAddresses: false, pages: null, localNames: [] }
  readonly #troubles: PlaneTroubles
  readonly #clock: RouterClock
  readonly #floor: ClockFloor
  readonly #watch: NeighbourWatch
  readonly #naming: NameEnforcement
  readonly #counters: CounterReader
  readonly #table: TableWriter
  #changed: (change: GatewayChange) => void = () => {}
  #looks = 0
  #traffic = ''
  readonly #lead: LeadWatch
  readonly #offload: OffloadWatch
  #stops: (() => void)[] = []
  #neighbourLook: Promise<void> | null = null

  constructor(private readonly options: LinuxSetting) {
    const { system, lans, numbers, upstreams, pagePort } = options
    this.timeZone = options.timeZone
    const clock = new RouterClock(system, options.clockFile)
    this.#clock = clock
    this.#floor = new ClockFloor(options.clockFloorFile, (error) =>
      this.#troubles.fault(error, 'writing down what time it was'),
    )
    this.#troubles = new PlaneTroubles({
      clock,
      changed: () => this.#changed('status'),
      fault: options.fault,
    })
    this.#watch = new NeighbourWatch({
      system,
      clock,
      lans,
      leases: options.leases,
      isKnown: (mac) => this.#table.isKnown(mac),
    })
    const { neighbours, local } = this.#watch
    this.#lead = new LeadWatch({
      ...options,
      interfaces: () => local.interfaces(),
      macOf: (address) => neighbours.macOf(address),
      secret: () => `${numbers.secret} ${this.#shownTurn}`,
    })
    const setting = () => this.#setting
    this.#naming = new NameEnforcement({
      clock,
      local,
      neighbours,
      upstreams,
      pagePort,
      setting,
      realAddress: (from) => realAddress(this.#lead.lead?.prefixes ?? [], from),
      isExpected: (from) => this.#isExpected(from),
      lookAtNeighbours: () => this.#lookAtNeighbours(),
      isKnown: (mac) => this.#table.isKnown(mac),
      addFound: (found) => this.#table.addFound(found),
      upstream: (host, answers) => this.#troubles.upstream(host, answers),
      fault: (error, doing) => this.#troubles.fault(error, doing),
    })
    const { names, resolver } = this.#naming
    this.#counters = new CounterReader({
      system,
      clock,
      numbers,
      names,
      neighbours,
      flooded: () => this.#tellFlood(),
    })
    const counters = this.#counters
    this.#table = new TableWriter({
      ...options,
      clock,
      floor: this.#floor,
      counters,
      names,
      neighbours,
      resolver,
      setting,
      lead: () => this.#lead.lead,
      areStrangersSpent: () => this.#areStrangersSpent,
      otherDriver: (name) => this.#troubles.otherDriver(name),
      written: async (table) => {
        options.written?.(table)
        await this.#offload.follow().catch((error: unknown) => this.#troubles.fault(error, BINDING))
      },
    })
    this.#offload = new OffloadWatch({ ...options, unrestricted: () => this.#table.unrestricted() })
  }

  get lookups() {
    return this.#naming.names.log
  }

  /**
   * Looks about once before the first policy; what cannot be seen yet is no reason not to start.
   *
   * @throws ToolFault where look-ups cannot be led here
   */
  async begin(): Promise<void> {
    await this.#floor.restore()
    await this.#clock.read()
    this.#clock.jump()
    this.#tellClock(false)
    for (const look of [() => this.#watch.readLocal(), () => this.#watch.readNeighbours()] as const)
      await look().catch((error: unknown) =>
        this.#troubles.fault(error, 'looking at the network before the first policy'),
      )
    await this.#findLead()
  }

  get lookEveryMs() {
    return this.options.system.lookEveryMs
  }

  now() {
    return this.#clock.now()
  }

  troubles() {
    return this.#troubles.all()
  }

  sightings() {
    return this.#watch.neighbours.all()
  }

  interfaces() {
    return this.#watch.local.interfaces()
  }

  evidence() {
    return this.#counters.evidence()
  }

  async set(next: PlaneSetting) {
    const before = this.#setting
    await this.#naming.page.show(next.pages !== null)
    this.#setting = next
    const isPageOther = (next.pages === null) !== (before.pages === null)
    if (isPageOther || next.closedAddresses !== before.closedAddresses) await this.#table.renew()
  }

  async limitStrangers(areSpent: boolean) {
    this.#areStrangersSpent = areSpent
    if (areSpent) this.#tellFlood()
    await this.#table.renew()
  }

  check(policy: Parameters<DataPlane['check']>[0]) {
    return this.#table.check(policy)
  }

  apply(policy: Parameters<DataPlane['apply']>[0]) {
    return this.#table.apply(policy)
  }

  start(changed: (change: GatewayChange) => void) {
    this.#changed = changed
    const { system } = this.options
    this.#stops = [
      watchTaken(
        system,
        () =>
          this.#putBack()
            .catch((error: unknown) =>
              this.#troubles.fault(error, 'putting back the table that somebody flushed'),
            )
            // It may have been the firewall that was loaded anew.
            .then(() => this.#offload.follow())
            .catch((error: unknown) => this.#troubles.fault(error, BINDING)),
        (error) => this.#troubles.fault(error, 'watching the table'),
      ),
      pacedLoop(
        { everyMs: this.lookEveryMs, restFactor: REST_FACTOR },
        () => this.#look(),
        (error) => this.#troubles.fault(error, 'looking at the network'),
      ),
      ...(this.#lead.lead ? [this.#beat()] : []),
    ]
    system.returned(() => {
      this.#return().catch((error: unknown) =>
        this.#troubles.fault(error, 'putting back the table of a router that returned'),
      )
    })
  }

  stop() {
    for (const stop of this.#stops) stop()
    this.#stops = []
    this.#naming.stop()
    this.options.system.stop()
  }

  /** Says again and again that this machine answers look-ups. */
  #beat(): () => void {
    return pacedLoop(
      { everyMs: HEARTBEAT * 1000, restFactor: 1 },
      () => this.#table.beat(),
      (error) => this.#troubles.fault(error, 'telling the router that look-ups are answered'),
    )
  }

  /** A router that was away may have lost its table, its clock or its addresses. */
  async #return(): Promise<void> {
    await this.#table.putBack()
    await this.#watch.readLocal()
    if (await this.#findLead()) await this.#table.renew()
  }

  async #look(): Promise<void> {
    await this.#followClock()
    if (this.#looks++ % LOOKS === 0) {
      for (const name of await this.#offload.look()) this.#troubles.note('passed-by', name, PASSED_BY)
      if (await this.#watch.readLocal()) this.#changed('status')
      if (this.#lead.lead && (await this.#findLead())) await this.#table.renew()
      // The monitor does not report elements that are added to a table.
      await this.#putBack()
    }
    await this.#lookAtNeighbours()
    if (this.#looks % LEASE_LOOKS === 1 && (await this.#watch.readLeases())) this.#changed('sightings')
    await this.#tellEvidence()
    this.#troubles.fine()
  }

  /** Looks who is there; who asks for that meanwhile gets the look that goes on. */
  #lookAtNeighbours(): Promise<void> {
    const look = async () => {
      if (!(await this.#watch.readNeighbours())) return
      this.#changed('sightings')
      await this.#table.updateHosts()
    }
    this.#neighbourLook ??= look().finally(() => (this.#neighbourLook = null))
    return this.#neighbourLook
  }

  async #followClock(): Promise<void> {
    await this.#clock.read()
    const jump = this.#clock.jump()
    this.#tellClock(jump !== null)
    if (jump !== null || this.#table.isDue) await this.#table.renew()
    if (jump === null) return
    this.#troubles.note('clock-set', String(jump), TOLD)
    this.#changed('status')
  }

  /** Finds how look-ups are led here; returns whether that is another way now. */
  async #findLead(): Promise<boolean> {
    const isOther = await this.#lead.find()
    const { lead } = this.#lead
    if (lead) this.#troubles.controller(lead.to[4] ?? lead.to[6]!, lead.mac !== null)
    return isOther
  }

  /**
   * The number of times that the addresses under which clients are shown were chosen anew; and when it may be
   * again (ms, monotonic).
   */
  #shownTurn = 0
  #nextTurnAt = -Infinity

  /**
   * Whether a look-up comes from the router. One that does not is told of, and who sent it gets no second
   * guess: who asks is shown under other addresses then.
   */
  #isExpected(from: string): boolean {
    const { lead } = this.#lead
    if (lead === null || isShown(lead.prefixes, from)) return true
    this.#troubles.note('forged', from, TOLD)
    this.#changed('status')
    if (performance.now() < this.#nextTurnAt) return false
    this.#nextTurnAt = performance.now() + TURN_MS
    this.#shownTurn++
    void this.#findLead()
      .then((isOther) => (isOther ? this.#table.renew() : undefined))
      .catch((error: unknown) => this.#troubles.fault(error, 'showing who asks under other addresses'))
    return false
  }

  /** Takes note of what time it is, and tells where that is before a time that was already. */
  #tellClock(isSet: boolean): void {
    const at = this.#clock.seconds()
    this.#floor.note(at, isSet)
    this.#troubles.clockPast(this.#floor.wrongBefore(at))
  }

  /**
   * Tells that more addresses send than can be told apart, with the port of the bridge from which most
   * come.
   */
  #tellFlood(): void {
    const { system, lans } = this.options
    void system
      .run('bridge', ['-j', 'fdb', 'show'])
      .then(
        (listing) => busiestPort(listing, (mac) => this.#table.isKnown(mac)),
        () => null,
      )
      .then((port) => this.#troubles.note('flood', port ?? lans.join(', '), TOLD))
  }

  async #putBack(): Promise<void> {
    if (this.#stops.length === 0 || !(await this.#table.putBack())) return
    this.#troubles.note('put-back', TABLE, TOLD)
    this.#changed('status')
  }

  /** Tells that there is other evidence where packets went over the interfaces of the local network. */
  async #tellEvidence(): Promise<void> {
    const traffic = trafficCount(await this.options.system.read('/proc/net/dev'), this.options.lans)
    if (traffic !== this.#traffic) this.#changed('evidence')
    this.#traffic = traffic
  }
}
