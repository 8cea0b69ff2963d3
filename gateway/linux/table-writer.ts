import { Mutex } from 'async-mutex'
import { senderKey, type Plan, type Sender } from '../../core/plan/plan.ts'
import type { Policy } from '../../core/policy/types.ts'
import type { Refusal } from '../../protocol/gateway.ts'
import type { Resolver } from '../names/resolver.ts'
import type { PlaneSetting } from '../plane.ts'
import { refusalOf, unsupportedIn } from './capability.ts'
import type { RouterClock } from './clock.ts'
import type { CounterReader } from './counter-reader.ts'
import type { Names } from './names.ts'
import { PlanMaker, type MadePlan } from './plan-maker.ts'
import type { Lead } from './lead-setting.ts'
import { HEARTBEAT_LINES } from './lead.ts'
import type { MarkRegistry } from './mark-registry.ts'
import type { Neighbourhood } from './sightings.ts'
import { ToolFault, type RouterSystem } from './system.ts'
import { tableText } from './table.ts'
import { isFree } from './table-schedule.ts'
import { elementLines, hostLines, type SetElements } from './table-elements.ts'
import { markOf, numberOf, TABLE, type Host, type Setting } from './table-setting.ts'

/** How long addresses that were found are gathered before they are put into the table, in milliseconds. */
const GATHERED_MS = 40

/** What a table writer works with. */
export interface TableWriterParts extends Pick<Setting, 'lans' | 'outside'> {
  readonly system: RouterSystem
  readonly clock: RouterClock
  readonly numbers: MarkRegistry
  readonly counters: CounterReader
  readonly names: Names
  readonly neighbours: Pick<Neighbourhood, 'hosts'>
  /** Opens the ports to which look-ups are led. */
  readonly resolver: Pick<Resolver, 'open' | 'close'>
  /** How look-ups are led to this machine from another; `null` = it is the router. */
  readonly lead: () => Lead | null
  /** The port on which look-ups of unknown devices are answered, where it is free. */
  readonly newcomersPort: number
  /** The port of the page that says what is blocked. */
  readonly pagePort: number
  /** What was chosen beside the policy, as it is now. */
  readonly setting: () => PlaneSetting
  /** Hears of each table that is in force; it counts as such once that is done. */
  readonly written: (table: string) => Promise<void>
}

/** What is in force. */
interface HeldTable {
  readonly policy: Policy
  readonly plan: Plan
  readonly macs: ReadonlySet<string>
  /** The table as it was written, and who stood in it as having which address; `hosts` = who does by now. */
  readonly text: string
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
  /** Addresses that were found for names and wait to be put into the table. */
  #found: SetElements[] = []
  #gathering: Promise<void> | null = null

  constructor(private readonly parts: TableWriterParts) {
    this.#plans = new PlanMaker(parts.clock, () => parts.setting().closedAddresses)
  }

  /** Whether a MAC address belongs to a device of the policy that is in force. */
  isKnown(mac: string): boolean {
    return this.#held?.macs.has(mac) ?? false
  }

  /** Whether so much of the plan is over that the next should be made. */
  get isDue(): boolean {
    return this.#held !== null && this.#plans.isDue(this.#held.plan)
  }

  /** The marks of the connections of who is never restricted in the time of the plan; `null` while no policy is in force. */
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
      // Which ports they are does not matter to whether nft takes it.
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
      if (this.#held) await this.#feed(HEARTBEAT_LINES)
    })
  }

  /**
   * Puts addresses of names into the table, with others that come at the same time; resolves when they are
   * there.
   */
  addFound(elements: readonly SetElements[]): Promise<void> {
    this.#found.push(...elements)
    this.#gathering ??= new Promise<void>((resolve) => setTimeout(resolve, GATHERED_MS)).then(() => {
      this.#gathering = null
      return this.#writing.runExclusive(async () => {
        const lines = elementLines(this.#found)
        this.#found = []
        if (lines !== '') await this.#feed(lines)
      })
    })
    return this.#gathering
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
    await counters.replace(made.plan, () => this.#feed(text))
    this.#listing = null
    names.hold(policy, made.naming)
    for (const sender of this.#held?.plan.senders ?? [])
      if (!ports.has(senderKey(sender))) resolver.close(sender)
    const macs = new Set(senders.flatMap(({ mac }) => mac ?? []))
    this.#held = { policy, plan: made.plan, macs, text, writtenHosts: hosts, hosts }
    await this.parts.written(text)
  }

  async #putBack(): Promise<boolean> {
    if (!this.#held) return false
    const listing = await this.#list()
    if (listing !== null && (this.#listing === null || listing === this.#listing)) {
      this.#listing = listing
      return false
    }
    const { plan, text, writtenHosts } = this.#held
    await this.parts.counters.replace(plan, () => this.#feed(text))
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
    const { numbers, resolver, newcomersPort } = this.parts
    const number = numbers.all.get(senderKey(sender))
    try {
      return await resolver.open(sender, number === undefined ? newcomersPort : portOf(number))
    } catch {
      return await resolver.open(sender)
    }
  }

  #textOf(
    { plan, naming, at }: MadePlan,
    numbers: ReadonlyMap<string, number>,
    ports: ReadonlyMap<string, number>,
    hosts: readonly Host[],
  ): string {
    const { lans, outside, pagePort, names, clock, lead } = this.parts
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
      found: names.of(naming, clock.seconds()),
      hosts,
      lead: lead(),
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
