import { createHash } from 'node:crypto'
import { Mutex } from 'async-mutex'
import { senderKey, type Plan, type Sender } from '../../../../core/plan/plan.ts'
import type { Policy } from '../../../../core/policy/types.ts'
import { GatewayFailure, type Refusal } from '../../../../protocol/gateway/gateway.ts'
import type { Resolver } from '../../../dns/resolver.ts'
import type { PlaneSetting } from '../../plane.ts'
import { refusalOf, unsupportedIn } from './capability.ts'
import type { ClockFloor } from '../watch/clock-floor.ts'
import type { RouterClock } from '../watch/clock.ts'
import type { CounterReader } from '../watch/counter-reader.ts'
import type { Names, Naming } from '../names.ts'
import { PlanMaker, type MadePlan } from './plan-maker.ts'
import type { Lead } from './lead-setting.ts'
import { driverSet, heartbeatLines, otherDriver } from './lead.ts'
import { readListing } from '../watch/listing.ts'
import type { MarkRegistry } from './mark-registry.ts'
import type { Neighbourhood } from '../watch/sightings.ts'
import { ToolFault, type RouterSystem } from '../system.ts'
import { tableText } from './table.ts'
import { isFree } from './table-schedule.ts'
import { hostLines, namedLines, type NamedAddresses } from './table-elements.ts'
import {
  markOf,
  MOST_NAMED,
  namesOf,
  numberOf,
  TABLE,
  VERSIONS,
  type Host,
  type Setting,
} from './table-setting.ts'

/** The milliseconds for which found addresses are gathered before they are put into the table. */
const GATHERED_MS = 40

/** The surroundings of a table writer. */
export interface TableWriterParts extends Pick<Setting, 'lans' | 'outside'> {
  readonly system: RouterSystem
  readonly clock: RouterClock
  readonly numbers: MarkRegistry
  readonly floor: ClockFloor
  readonly counters: CounterReader
  readonly names: Names
  readonly neighbours: Pick<Neighbourhood, 'hosts'>
  /** Opens the ports to which look-ups are led. */
  readonly resolver: Pick<Resolver, 'open' | 'close'>
  /** Returns the way by which look-ups are led to this machine; `null` = it is the router. */
  readonly lead: () => Lead | null
  /** The port on which look-ups of unknown devices are answered, where it is free. */
  readonly newcomersPort: number
  /** The port of the page that says what is blocked. */
  readonly pagePort: number
  /** Whether all unknown devices count as having used their allowances up. */
  readonly areStrangersSpent: () => boolean
  /** Hears which other machine drives the router; `null` = none. */
  readonly otherDriver: (name: string | null) => void
  /** Returns the current settings beside the policy. */
  readonly setting: () => PlaneSetting
  /** Hears of each table that is in force; it counts as such once that is done. */
  readonly written: (table: string) => Promise<void>
}

/** Says that another controller drives the router. */
export class OtherDriver extends GatewayFailure {
  constructor(readonly machine: string) {
    super(`Another Kairostat, on ${machine}, drives this router. Disconnect the router in one of the two.`)
  }
}

/** Addresses that wait to be put into the table. */
interface Waiting {
  readonly found: readonly NamedAddresses[]
  readonly taken: () => void
  readonly failed: (error: unknown) => void
}

/** The policy in force. */
interface HeldTable {
  readonly policy: Policy
  readonly plan: Plan
  readonly macs: ReadonlySet<string>
  /**
   * The table as it was written, without addresses of names, and who stood in it as having which address;
   * `hosts` = who does by now.
   */
  readonly text: string
  readonly naming: readonly Naming[]
  readonly closedAddresses: boolean
  readonly writtenHosts: readonly Host[]
  hosts: readonly Host[]
}

/**
 * Writes our table of the packet filter, and keeps it as it should be. One write after the other: an address
 * that is found while another table is written would be missing in that.
 */
export class TableWriter {
  readonly #writing = new Mutex()
  #held: HeldTable | null = null
  readonly #plans: PlanMaker
  /**
   * The table as nft lists it after our own writing, without what it counted and remembered; `null` until it
   * was looked at.
   */
  #listing: string | null = null
  /** Addresses that were found for names and wait to be put into the table, and who hears of each. */
  #found: Waiting[] = []
  #isGathering = false

  constructor(private readonly parts: TableWriterParts) {
    this.#plans = new PlanMaker(parts.clock, () => parts.setting().closedAddresses, parts.floor)
  }

  /** Whether a MAC address belongs to a device of the policy that is in force. */
  isKnown(mac: string): boolean {
    return this.#held?.macs.has(mac) ?? false
  }

  /** Whether so much of the plan is over that the next should be made. */
  get isDue(): boolean {
    return this.#held !== null && this.#plans.isDue(this.#held.plan)
  }

  /**
   * The marks of the connections of who is never restricted in the time of the plan; `null` while no policy
   * is in force.
   */
  unrestricted(): number[] | null {
    if (!this.#held) return null
    const { numbers } = this.parts
    const { senders, courses, standings } = this.#held.plan
    return senders
      .filter(({ course }) => course === null || isFree(courses[course]!, standings))
      .map((sender) => Number(markOf(numberOf(sender, { numbers: numbers.all }))))
  }

  /** Says what of a policy cannot be done here, without changing anything. */
  async check(policy: Policy): Promise<Refusal> {
    const refusal = unsupportedIn(policy, this.parts.lans)
    if (refusal) return refusal
    const { numbers, system } = this.parts
    try {
      const made = this.#plans.planOf(policy)
      // The ports do not matter to whether nft accepts it.
      const ports = new Map(
        made.plan.senders.map((sender, index) => [senderKey(sender), (index % 65_535) + 1]),
      )
      const text = this.#textOf(made, numbers.tentative(numberedKeys(made.plan)), ports, [])
      await system.run('nft', ['-c', '-f', '-'], text)
      return null
    } catch (error) {
      return refusalOf(error)
    }
  }

  /** Puts a policy in force; what cannot be done is refused, and nothing changes then. */
  async apply(policy: Policy): Promise<Refusal> {
    const refusal = unsupportedIn(policy, this.parts.lans)
    if (refusal) return refusal
    try {
      await this.#writing.runExclusive(() => this.#hold(policy))
      return null
    } catch (error) {
      return refusalOf(error)
    }
  }

  /** Writes the table of the policy in force anew: the time went on, or something else was chosen. */
  renew(): Promise<void> {
    return this.#writing.runExclusive(async () => {
      if (this.#held) await this.#hold(this.#held.policy)
    })
  }

  /**
   * Puts the table back where somebody else took something out of it: as it was written, so that nothing has
   * to be worked out first.
   *
   * @returns whether something was missing
   */
  putBack(): Promise<boolean> {
    return this.#writing.runExclusive(() => this.#putBack())
  }

  /** Tells the table who has which address now. */
  updateHosts(): Promise<void> {
    return this.#writing.runExclusive(async () => {
      if (!this.#held) return
      const before = this.#held.hosts
      const lines = this.#hostChanges(this.#held)
      if (lines === '') return
      try {
        await this.#feed(lines)
      } catch (error) {
        // Somebody may have taken the table away in between: then it is put back, and this with it.
        if (await this.#putBack()) return
        this.#held.hosts = before
        throw error
      }
    })
  }

  /** Tells the table that the machine is there to which look-ups are led. */
  beat(): Promise<void> {
    return this.#writing.runExclusive(async () => {
      if (this.#held) await this.#feed(heartbeatLines(driverSet(this.parts.numbers.secret)))
    })
  }

  /**
   * Puts addresses of names into the table, with others that come at the same time; resolves when they are
   * there.
   *
   * @throws ToolFault where the kernel does not take them; others are put there all the same
   */
  addFound(found: readonly NamedAddresses[]): Promise<void> {
    const taken = new Promise<void>((taken, failed) => this.#found.push({ found, taken, failed }))
    if (!this.#isGathering) {
      this.#isGathering = true
      setTimeout(() => void this.#writing.runExclusive(() => this.#feedFound()), GATHERED_MS)
    }
    return taken
  }

  /**
   * Feeds what was found, all at once; where that fails, each by itself, and into a full set after making
   * room.
   */
  async #feedFound(): Promise<void> {
    const all = this.#found
    this.#found = []
    this.#isGathering = false
    const linesOf = (some: readonly Waiting[]) =>
      some.flatMap(({ found }) => found.map((one) => this.#linesOf(one))).join('')
    try {
      await this.#feedIfAny(linesOf(all))
      for (const { taken } of all) taken()
    } catch {
      for (const one of all)
        await this.#feedIfAny(linesOf([one]))
          .catch(() => this.#feedAnew(one))
          .then(one.taken, one.failed)
    }
  }

  /**
   * Empties the sets of some clauses and fills them with the newer half of what they had, and with what is
   * new.
   */
  async #feedAnew({ found }: Waiting): Promise<void> {
    if (!this.#held) return
    const { plan, closedAddresses } = this.#held
    const now = this.parts.clock.seconds()
    for (const { clause, addresses } of found) {
      const place = plan.clauses.findIndex(({ id }) => id === clause)
      const name = place < 0 ? null : namesOf(plan.clauses[place]!, place, closedAddresses)
      if (name === null) continue
      const had = [...(this.parts.counters.named.get(clause) ?? [])].sort((a, b) => b[1] - a[1])
      const newer = had.slice(0, Math.min(had.length / 2, MOST_NAMED / 4))
      const kept = new Map(newer.map(([address, until]): [string, number] => [address, until - now]))
      const lines = VERSIONS.map(({ set }) => `flush set ${TABLE} ${name}${set}\n`).join('')
      await this.#feed(lines + this.#linesOf({ clause, addresses: new Map([...kept, ...addresses]) }))
    }
  }

  /**
   * Stays out of a router that another controller drives and was heard of a moment ago.
   *
   * @throws OtherDriver
   */
  async #refuseOther(listing: string | null): Promise<void> {
    if (listing === null || this.parts.lead() === null) return
    let [other, isAlive]: [string | null, boolean] = [null, false]
    for await (const one of readListing(listing)) {
      if (one.kind !== 'set') continue
      other ??= otherDriver(one.name, driverSet(this.parts.numbers.secret))
      isAlive ||= one.name === 'alive' && one.elements.length > 0
    }
    this.parts.otherDriver(isAlive ? other : null)
    if (other !== null && isAlive) throw new OtherDriver(other)
  }

  async #feedIfAny(lines: string): Promise<void> {
    if (lines !== '') await this.#feed(lines)
  }

  #linesOf(found: NamedAddresses): string {
    return this.#held ? namedLines(found, this.#held.plan, this.#held.closedAddresses) : ''
  }

  /**
   * Lines that fill the sets of names of a table: with what the kernel had when it was read last, as long as
   * it would have kept it, and with what was found since.
   */
  #carriedLines({
    plan,
    naming,
    closedAddresses,
  }: Pick<HeldTable, 'plan' | 'naming' | 'closedAddresses'>): string {
    const now = this.parts.clock.seconds()
    const { named } = this.parts.counters
    return this.parts.names
      .of(naming, now)
      .map(({ clause, addresses }) => {
        const all = new Map(addresses)
        for (const [address, until] of named.get(clause) ?? [])
          if (until > now) all.set(address, Math.max(all.get(address) ?? 0, until - now))
        const latest = [...all].sort((a, b) => b[1] - a[1]).slice(0, MOST_NAMED / 4)
        return namedLines({ clause, addresses: new Map(latest) }, plan, closedAddresses)
      })
      .join('')
  }

  async #hold(policy: Policy): Promise<void> {
    const { numbers, resolver, counters, names, neighbours } = this.parts
    const made = this.#plans.planOf(policy)
    const { senders } = made.plan
    await numbers.assign(numberedKeys(made.plan))
    const ports = new Map<string, number>()
    for (const sender of senders) ports.set(senderKey(sender), await this.#openPort(sender))
    const hosts = neighbours.hosts()
    const text = this.#textOf(made, numbers.all, ports, hosts)
    await counters.replace(made.plan, async (listing) => {
      await this.#refuseOther(listing)
      await this.#feed(text + this.#carriedLines(made))
    })
    this.#listing = null
    names.hold(policy, made.naming)
    for (const sender of this.#held?.plan.senders ?? [])
      if (!ports.has(senderKey(sender))) resolver.close(sender)
    const macs = new Set(senders.flatMap(({ mac }) => mac ?? []))
    const { plan, naming, closedAddresses } = made
    this.#held = { policy, plan, naming, closedAddresses, macs, text, writtenHosts: hosts, hosts }
    await this.parts.written(text)
  }

  async #putBack(): Promise<boolean> {
    if (!this.#held) return false
    const listing = await this.#list()
    if (listing !== null && (this.#listing === null || listing === this.#listing)) {
      this.#listing = listing
      return false
    }
    const held = this.#held
    const { plan, text, writtenHosts } = held
    await this.parts.counters.replace(plan, async (listing) => {
      await this.#refuseOther(listing)
      await this.#feed(text + this.#carriedLines(held))
    })
    this.#listing = null
    // Addresses that came and went since it was written.
    this.#held.hosts = writtenHosts
    const lines = this.#hostChanges(this.#held)
    if (lines !== '') await this.#feed(lines)
    return true
  }

  /** Lines that bring the table's hosts up to date; from now on it is taken to have them. */
  #hostChanges(held: HeldTable): string {
    const keyOf = ({ address, mac, interface: name }: Host) => `${address} ${mac} ${name}`
    const now = this.parts.neighbours.hosts()
    const [had, has] = [new Set(held.hosts.map(keyOf)), new Set(now.map(keyOf))]
    const gone = held.hosts.filter((host) => !has.has(keyOf(host)))
    const come = now.filter((host) => !had.has(keyOf(host)))
    held.hosts = now
    return hostLines(gone, come, held.plan)
  }

  /**
   * The port on which the look-ups of a sender are answered. Nothing that somebody chose, and no other program,
   * stands in the way: where a port is taken, any will do.
   */
  async #openPort(sender: Sender): Promise<number> {
    const { numbers, resolver } = this.parts
    const number = numbers.all.get(senderKey(sender))
    try {
      return await resolver.open(sender, this.#portFor(sender, number))
    } catch {
      return await resolver.open(sender)
    }
  }

  /**
   * The port for a sender. To a controller every device of its network can send: there it is one that nobody
   * can guess, and the same after a restart.
   */
  #portFor(sender: Sender, number: number | undefined): number {
    const { numbers, newcomersPort, lead } = this.parts
    if (lead() !== null) return guardedPort(numbers.secret, senderKey(sender))
    return number === undefined ? newcomersPort : portOf(number)
  }

  #textOf(
    { plan, at }: MadePlan,
    numbers: ReadonlyMap<string, number>,
    ports: ReadonlyMap<string, number>,
    hosts: readonly Host[],
  ): string {
    const { lans, outside, pagePort, clock, lead } = this.parts
    const { pages, closedAddresses } = this.parts.setting()
    return tableText(plan, {
      lans,
      numbers,
      outside,
      ports,
      page: pages && pagePort,
      closedAddresses,
      now: at,
      ahead: clock.aheadSeconds,
      hosts,
      lead: lead(),
      areStrangersSpent: this.parts.areStrangersSpent(),
      driver: driverSet(this.parts.numbers.secret),
    })
  }

  async #feed(lines: string): Promise<void> {
    await this.parts.system.run('nft', ['-f', '-'], lines)
  }

  async #list(): Promise<string | null> {
    try {
      return await this.parts.system.run('nft', ['-s', '-t', 'list', 'table', ...TABLE.split(' ')])
    } catch (error) {
      if (error instanceof ToolFault) return null
      throw error
    }
  }
}

/** The senders that get a number: all but whoever the plan does not name, in no network. */
const numberedKeys = ({ senders }: Plan) => senders.map(senderKey).filter((key) => key !== '')

/**
 * The port on which the look-ups of a sender are answered, by its number: the same after a restart, since the
 * kernel goes on sending a client that always asks from one port to where it sent it first. Below those that
 * Linux gives to connections; 0 = any, for numbers beyond them.
 */
const portOf = (number: number) => (number < 32_768 - FIRST_PORT ? FIRST_PORT + number : 0)
const FIRST_PORT = 10_000

/** A port among those that Linux does not give to connections, which follows from a secret. */
function guardedPort(secret: string, key: string): number {
  const random = createHash('sha256').update(`${secret} port ${key}`).digest().readUInt32BE()
  return 1100 + (random % (32_768 - 1100))
}
