import { Mutex } from 'async-mutex'
import type { Plan } from '../../core/plan/plan.ts'
import { instantText } from '../../core/time/instant.ts'
import type { Evidence, Flow } from '../../protocol/evidence.ts'
import type { RouterClock } from './clock.ts'
import { evidenceOf, NO_COUNTS, readTable, together, withLookups } from './evidence.ts'
import type { Names } from './names.ts'
import type { MarkRegistry } from './mark-registry.ts'
import { AwayFault, ToolFault, type RouterSystem } from './system.ts'
import { REMEMBERED, TABLE } from './table-setting.ts'

/** What a counter reader works with. */
export interface CounterReaderParts {
  readonly system: RouterSystem
  readonly clock: RouterClock
  readonly numbers: MarkRegistry
  readonly names: Pick<Names, 'closed' | 'logged' | 'flows'>
}

/** Reads what our tables counted, one after the other, as if they were one. */
export class CounterReader {
  /** A table is read, or another takes its place: a reading in between would take one for the other. */
  readonly #table = new Mutex()
  #plan: Plan | null = null
  /** Since when there is something to count (ISO, in UTC). */
  #since: string | null = null
  /** What was counted by tables that are gone, and by the one that is at the last reading. */
  #before = NO_COUNTS
  #current = NO_COUNTS
  /** What the tables remembered of tries, by who, where to and why. */
  readonly #tries = new Map<string, Flow>()

  constructor(private readonly parts: CounterReaderParts) {}

  /**
   * Has the table replaced by that of a plan; what the one before had counted is kept.
   *
   * @param write puts the new table in place, or throws and leaves what was
   */
  replace(plan: Plan, write: () => Promise<void>): Promise<void> {
    return this.#table.runExclusive(async () => {
      await this.#read()
      await write()
      this.#before = together(this.#before, this.#current)
      this.#current = NO_COUNTS
      this.#plan = plan
      this.#since ??= instantText(this.parts.clock.seconds())
    })
  }

  /** What was counted by now, and the latest flows. */
  async evidence(): Promise<Evidence> {
    const { names } = this.parts
    const counts = await this.#table.runExclusive(async () => {
      await this.#read()
      return together(this.#before, this.#current)
    })
    const flows = [...this.#tries.values(), ...names.flows()]
    return evidenceOf(withLookups(counts, names.closed, names.logged), flows, this.#since)
  }

  /** Reads the table that is there; where somebody took it away, what was read of it last stands. */
  async #read(): Promise<void> {
    const { system, numbers, clock } = this.parts
    if (!this.#plan) return
    let listing
    try {
      listing = await system.run('nft', ['-j', 'list', 'table', ...TABLE.split(' ')])
    } catch (error) {
      if (error instanceof ToolFault || error instanceof AwayFault) return
      throw error
    }
    const { counts, flows } = readTable(listing, this.#plan, numbers.all, clock.now() / 1000)
    this.#current = counts
    for (const flow of flows) this.#tries.set(`${flow.mac} ${flow.to} ${flow.because}`, flow)
    const oldest = instantText(clock.seconds() - REMEMBERED)
    for (const [key, { at }] of this.#tries) if (at < oldest) this.#tries.delete(key)
  }
}
