import { LRUCache } from 'lru-cache'
import { NOTHING, plus, type Count } from '../../../../protocol/gateway/evidence.ts'

/** The most addresses that the policy does not name; the one that was counted longest ago is forgotten. */
const MOST_STRANGERS = 8192
/** The most clauses that are told apart of one address; old ones are added up as one. */
const MOST_CLAUSES = 64
/** The clause that stands for those. */
export const EARLIER = ''

/**
 * Counts of an address: `seen` = all packets of its connections, `received` = those of them that came from
 * outside, `refused` = those of these that were stopped; by clause `dropped` = packets it sent that were
 * stopped, and `logged`.
 */
export interface Tally {
  seen: Count
  received: Count
  refused: Count
  readonly dropped: Map<string, Count>
  readonly logged: Map<string, Count>
}
type Whole = 'seen' | 'received' | 'refused'
type ByClause = 'dropped' | 'logged'

const emptyTally = (): Tally => ({
  seen: NOTHING,
  received: NOTHING,
  refused: NOTHING,
  dropped: new Map(),
  logged: new Map(),
})

/**
 * Adds up what the kernel counts, over elements that come and go and tables that are replaced: each reading is
 * compared with the one before, so that an element that expired and is there again counts from nothing.
 */
export class CounterLedger {
  #known = new Map<string, Tally>()
  readonly #strangers = new LRUCache<string, Tally>({ max: MOST_STRANGERS })
  readonly #allowed = new Map<string, Count>()
  #last = new Map<string, Count>()
  #next = new Map<string, Count>()

  /** Tells the addresses of the policy from others, from now on. */
  setKnown(macs: ReadonlySet<string>): void {
    const known = new Map<string, Tally>()
    for (const mac of macs) {
      const tally = this.#known.get(mac) ?? this.#strangers.get(mac)
      if (tally) known.set(mac, tally)
      this.#strangers.delete(mac)
    }
    for (const [mac, tally] of this.#known) if (!macs.has(mac)) this.#strangers.set(mac, tally)
    this.#known = known
    this.#isKnown = (mac) => macs.has(mac)
  }
  #isKnown = (_mac: string) => false

  /** Takes the count of an element in a reading; what it grew by is added by `into`. */
  read(element: string, count: Count, into: (growth: Count) => void): void {
    const before = this.#last.get(element)
    this.#next.set(element, count)
    const isAnew = !before || count.packets < before.packets || count.bytes < before.bytes
    const growth = isAnew ? count : plus(count, before, -1)
    if (growth.packets > 0) into(growth)
  }

  /** Ends a reading. */
  endReading(): void {
    this.#last = this.#next
    this.#next = new Map()
  }

  /** Says that another table takes the place of the one that was read: it begins at nothing. */
  forgetTable(): void {
    this.#last = new Map()
  }

  /** Adds to what was counted of an address. */
  add(mac: string, what: Whole, growth: Count): void {
    const tally = this.#tallyOf(mac)
    tally[what] = plus(tally[what], growth)
  }

  /** Adds to what a clause dropped or logged of an address. */
  addClause(mac: string, what: ByClause, clause: string, growth: Count): void {
    const all = this.#tallyOf(mac)[what]
    const sum = plus(all.get(clause) ?? NOTHING, growth)
    // The clause that counted last stands last.
    all.delete(clause)
    all.set(clause, sum)
    if (all.size <= MOST_CLAUSES) return
    const [[oldest, count]] = [...all].filter(([id]) => id !== EARLIER) as [[string, Count]]
    all.delete(oldest)
    all.set(EARLIER, plus(all.get(EARLIER) ?? NOTHING, count))
  }

  /** Adds to what a clause let through. */
  addAllowed(clause: string, growth: Count): void {
    this.#allowed.set(clause, plus(this.#allowed.get(clause) ?? NOTHING, growth))
  }

  /** Yields the counts of each address. */
  *tallies(): Generator<[mac: string, tally: Tally]> {
    yield* this.#known
    yield* this.#strangers.entries()
  }

  /** Packets that each clause let through. */
  get allowed(): ReadonlyMap<string, Count> {
    return this.#allowed
  }

  #tallyOf(mac: string): Tally {
    const found = this.#known.get(mac) ?? this.#strangers.get(mac)
    if (found) return found
    const tally = emptyTally()
    if (this.#isKnown(mac)) this.#known.set(mac, tally)
    else this.#strangers.set(mac, tally)
    return tally
  }
}
