import { Mutex } from 'async-mutex'
import { LRUCache } from 'lru-cache'
import type { Plan } from '../../../../core/plan/plan.ts'
import { instantText } from '../../../../core/time/instant.ts'
import type { Evidence, Flow } from '../../../../protocol/gateway/evidence.ts'
import type { RouterClock } from './clock.ts'
import { evidenceOf, readTable } from './evidence.ts'
import type { Names } from '../names.ts'
import type { MarkRegistry } from '../table/mark-registry.ts'
import type { Neighbourhood } from './sightings.ts'
import { AwayFault, ToolFault, type RouterSystem } from '../system.ts'
import { MOST_UNKNOWN, REMEMBERED, TABLE } from '../table/table-setting.ts'
import { CounterLedger } from './tally.ts'

/** The most tries that are remembered; the oldest are forgotten first. */
const MOST_TRIES = 20_000

/** The surroundings of a counter reader. */
export interface CounterReaderParts {
  readonly system: RouterSystem
  readonly clock: RouterClock
  readonly numbers: MarkRegistry
  readonly names: Pick<Names, 'closed' | 'logged' | 'flows'>
  readonly neighbours: Pick<Neighbourhood, 'macOf'>
  /** Hears that more unknown addresses send than the kernel can tell apart. */
  readonly flooded: () => void
}

/** Addresses that the kernel has for names of clauses, by clause, with when they expire (seconds). */
export type NamedUntil = ReadonlyMap<string, ReadonlyMap<string, number>>

/** Reads what our tables counted, one after the other, as if they were one. */
export class CounterReader {
  /** A table is read, or another takes its place: a reading in between would take one for the other. */
  readonly #table = new Mutex()
  #plan: Plan | null = null
  /** Since when there is something to count (ISO, in UTC). */
  #since: string | null = null
  readonly #ledger = new CounterLedger()
  /** The tries that the tables remembered, by sender, destination and clause. */
  readonly #tries = new LRUCache<string, Flow>({ max: MOST_TRIES })
  #named: NamedUntil = new Map()

  constructor(private readonly parts: CounterReaderParts) {}

  /** The addresses that the kernel had for names at the last reading. */
  get named(): NamedUntil {
    return this.#named
  }

  /**
   * Has the table replaced by that of a plan; what the one before had counted is kept.
   *
   * @param write puts the new table in place, or throws and leaves what was; it is given what is there, as nft lists
   *   it (`null` = there is none)
   */
  replace(plan: Plan, write: (listing: string | null) => Promise<void>): Promise<void> {
    return this.#table.runExclusive(async () => {
      const listing = await this.#list()
      await this.#take(listing)
      await write(listing)
      this.#ledger.forgetTable()
      this.#ledger.setKnown(new Set(plan.senders.flatMap(({ mac }) => mac ?? [])))
      this.#plan = plan
      this.#since ??= instantText(this.parts.clock.seconds())
    })
  }

  /** Returns the counts by now, and the latest flows. */
  async evidence(): Promise<Evidence> {
    const { names } = this.parts
    if (this.#plan) await this.#table.runExclusive(async () => this.#take(await this.#list()))
    const flows = [...this.#tries.values(), ...names.flows()]
    return evidenceOf(this.#ledger, names.closed, names.logged, flows, this.#since)
  }

  /** The table that is there, as nft lists it; `null` where somebody took it away. */
  async #list(): Promise<string | null> {
    try {
      return await this.parts.system.run('nft', ['-j', 'list', 'table', ...TABLE.split(' ')])
    } catch (error) {
      if (error instanceof ToolFault || error instanceof AwayFault) return null
      throw error
    }
  }

  /** Takes what is in a listing; of a table that is gone, what was read of it last stands. */
  async #take(listing: string | null): Promise<void> {
    const { numbers, clock, neighbours, flooded } = this.parts
    if (!this.#plan || listing === null) return
    const at = clock.now() / 1000
    const { flows, named, strangers } = await readTable(listing, {
      plan: this.#plan,
      numbers: numbers.all,
      ledger: this.#ledger,
      macOf: (address) => neighbours.macOf(address),
      at,
    })
    for (const flow of flows) this.#tries.set(`${flow.mac} ${flow.to} ${flow.because}`, flow)
    const oldest = instantText(clock.seconds() - REMEMBERED)
    for (const [key, { at }] of this.#tries.entries()) if (at < oldest) this.#tries.delete(key)
    this.#named = new Map(
      [...named].map(([id, all]) => [id, new Map([...all].map(([address, left]) => [address, at + left]))]),
    )
    if (strangers >= MOST_UNKNOWN) flooded()
  }
}
