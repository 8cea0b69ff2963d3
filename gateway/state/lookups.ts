import type { Effect } from '../../core/policy/types.ts'
import { instantText, readInstant } from '../../core/time/instant.ts'
import { DAY, HOUR } from '../../core/time/duration.ts'
import type { Lookup } from '../../protocol/gateway/gateway.ts'
import { isInstant, type RowFormat, type Rows } from './row-store.ts'

/** The longest time from the first to the last look-up of a run, in seconds. */
const RUN = HOUR
/**
 * The most runs: a client that makes up names fills no memory; the most of one device, so that
 * none takes the place of the others; and how many are gathered at a time: more than devices look up within a
 * run, else each would begin again and again, and few enough to lie near the processor.
 */
const MAX_RUNS = 200_000
const MAX_RUNS_EACH = 25_000
const RUNS_GATHERED = 25_000

interface Run {
  readonly mac: string
  readonly name: string
  readonly effect: Effect
  readonly first: number
  last: number
  tries: number
  /** Whether it changed since that was last asked. */
  isTouched: boolean
}

/** The look-ups of devices, gathered into runs; instants are in seconds and come in their order. */
export interface LookupLog extends Rows<Lookup> {
  add(mac: string, name: string, effect: Effect, at: number): void
  /**
   * Keeps from now on for so many days, not of these addresses, and where `kept` is false nothing at all;
   * what is there and would not be kept goes.
   */
  set(kept: boolean, days: number, exempt: ReadonlySet<string>): void
  /** The runs that went on at or after an instant. */
  since(at: number): Lookup[]
}

/** The form of a run in the file of the gateway's state. */
export const LOOKUP_FORMAT: RowFormat<Lookup> = {
  write: ({ mac, name, effect, first, last, tries }) => [mac, name, effect, first, last, tries],
  read: ([mac, name, effect, first, last, tries]) => {
    const areTexts = [mac, name].every((value) => typeof value === 'string')
    if (!areTexts || ![first, last].every(isInstant) || (effect !== 'allow' && effect !== 'block'))
      return null
    return Number.isInteger(tries) ? ({ mac, name, effect, first, last, tries } as Lookup) : null
  },
  keyOf: ({ mac, name, effect, first }) => `${mac} ${effect} ${first} ${name}`,
  orderOf: ({ first }) => first,
}

/** Runs in their order, and the latest of each address, name and verdict among them. */
interface Part {
  readonly runs: Run[]
  readonly latest: Map<string, Readonly<Record<Effect, Map<string, Run>>>>
}

/** An empty log, kept in memory. */
export function lookupLog(): LookupLog {
  return new RunLog()
}

class RunLog implements LookupLog {
  #setting: { kept: boolean; seconds: number; exempt: ReadonlySet<string> } = {
    kept: true,
    seconds: 8 * DAY,
    exempt: new Set(),
  }
  // In parts, of which the oldest goes as a whole: nothing is looked through for it, and a run goes on in the
  // newest alone.
  #older: readonly (readonly Run[])[] = []
  #newest = emptyPart()
  /** The runs that are kept of each address. */
  readonly #counts = new Map<string, number>()
  /** The runs that changed since that was last asked; which is no longer kept is not touched. */
  #touched: Run[] = []

  add(mac: string, name: string, effect: Effect, at: number): void {
    if (!this.#setting.kept || this.#setting.exempt.has(mac)) return
    const run = this.#newest.latest.get(mac)?.[effect].get(name)
    if (!run || at < run.first || at - run.first >= RUN)
      return this.#append({ mac, name, effect, first: at, last: at, tries: 1, isTouched: false })
    run.last = at
    run.tries++
    this.#touch(run)
  }

  set(kept: boolean, days: number, exempt: ReadonlySet<string>): void {
    const seconds = days * DAY
    this.#setting = { kept, seconds, exempt }
    // By the run that went on last, wherever it stands.
    const latest = this.#all().reduce((most, { last }) => Math.max(most, last), 0)
    this.#replace(this.#all().filter(({ mac, last }) => kept && !exempt.has(mac) && latest - last < seconds))
  }

  since(at: number): Lookup[] {
    return this.#all()
      .filter(({ last }) => last >= at)
      .map(lookupOf)
  }

  all(): Lookup[] {
    return this.since(-Infinity)
  }

  changes(): Lookup[] {
    const changed = this.#touched.filter(({ isTouched }) => isTouched)
    for (const run of changed) run.isTouched = false
    this.#touched = []
    return changed.map(lookupOf)
  }

  size(): number {
    return this.#olderSize() + this.#newest.runs.length
  }

  restore(runs: readonly Lookup[]): void {
    this.#replace(
      runs.map((run) => ({
        ...run,
        first: readInstant(run.first)!,
        last: readInstant(run.last)!,
        isTouched: false,
      })),
    )
  }

  #all(): Run[] {
    return [...this.#older.flat(), ...this.#newest.runs]
  }

  #olderSize(): number {
    return this.#older.reduce((sum, runs) => sum + runs.length, 0)
  }

  #append(run: Run): void {
    if (this.#newest.runs.length >= RUNS_GATHERED) this.#beginPart()
    this.#counts.set(run.mac, (this.#counts.get(run.mac) ?? 0) + 1)
    this.#touch(run)
    const { runs, latest } = this.#newest
    let byEffect = latest.get(run.mac)
    if (!byEffect) {
      byEffect = { allow: new Map(), block: new Map() }
      latest.set(run.mac, byEffect)
    }
    runs.push(run)
    byEffect[run.effect].set(run.name, run)
  }

  #touch(run: Run): void {
    if (!run.isTouched) this.#touched.push(run)
    run.isTouched = true
  }

  /** Begins another part; what is too much goes: of whoever has more than their share, and the oldest. */
  #beginPart(): void {
    for (const [mac, count] of this.#counts)
      if (count > MAX_RUNS_EACH) {
        const gone = this.#older.flatMap((runs) => runs.filter((run) => run.mac === mac))
        this.#forget(
          gone,
          this.#older.map((runs) => runs.filter((run) => run.mac !== mac)),
        )
      }
    this.#older = [...this.#older, this.#newest.runs]
    this.#newest = emptyPart()
    while (this.#olderSize() > MAX_RUNS - RUNS_GATHERED) this.#forget(this.#older[0]!, this.#older.slice(1))
    // So that as few wait as are kept, though nobody asks.
    this.#touched = this.#touched.filter(({ isTouched }) => isTouched)
  }

  #forget(gone: readonly Run[], left: readonly (readonly Run[])[]): void {
    for (const run of gone) {
      this.#counts.set(run.mac, this.#counts.get(run.mac)! - 1)
      run.isTouched = false
    }
    this.#older = left
  }

  #replace(runs: readonly Run[]): void {
    this.#older = []
    this.#newest = emptyPart()
    this.#counts.clear()
    for (const run of this.#touched) run.isTouched = false
    this.#touched = []
    for (const run of runs) this.#append(run)
  }
}

const lookupOf = ({ mac, name, effect, first, last, tries }: Run): Lookup => ({
  mac,
  name,
  effect,
  first: instantText(first),
  last: instantText(last),
  tries,
})

const emptyPart = (): Part => ({ runs: [], latest: new Map() })
