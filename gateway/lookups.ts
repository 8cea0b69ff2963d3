import type { Effect } from '../core/policy/types.ts'
import { instantText, readInstant } from '../core/time/instant.ts'
import { DAY, HOUR } from '../core/time/duration.ts'
import type { Lookup } from '../protocol/gateway.ts'

/** The longest time from the first to the last look-up of a run, in seconds. */
const RUN = HOUR
/**
 * How many runs are kept at most: whoever makes up names fills no memory; how many of one device, so that
 * none takes the place of the others; and how many are gathered at a time: more than devices look up within a
 * run, else each would begin again and again, and few enough to lie near the processor.
 */
const MOST = 200_000
const MOST_EACH = 25_000
const PART = 25_000

interface Run {
  readonly mac: string
  readonly name: string
  readonly effect: Effect
  readonly first: number
  last: number
  tries: number
}

/** What devices looked up, gathered into runs; instants are in seconds and come in their order. */
export interface LookupLog {
  add(mac: string, name: string, effect: Effect, at: number): void
  /**
   * Keeps from now on for so many days, not of these addresses, and where `kept` is false nothing at all;
   * what is there and would not be kept goes.
   */
  set(kept: boolean, days: number, exempt: ReadonlySet<string>): void
  /** The runs that went on at or after an instant. */
  since(at: number): Lookup[]
  /** The runs that are new or went on since this was last asked. */
  changes(): Lookup[]
  /** How many runs are kept. */
  size(): number
  /** Takes in runs that were kept elsewhere, before the first is added. */
  restore(runs: readonly Lookup[]): void
}

/** Runs in their order, and the latest of each address, name and verdict among them. */
interface Part {
  readonly runs: Run[]
  readonly latest: Map<string, Readonly<Record<Effect, Map<string, Run>>>>
}

/** An empty log, kept in memory. */
export function lookupLog(): LookupLog {
  let setting: { kept: boolean; seconds: number; exempt: ReadonlySet<string> } = {
    kept: true,
    seconds: 8 * DAY,
    exempt: new Set(),
  }
  // In parts, of which the oldest goes as a whole: nothing is looked through for it, and a run goes on in the
  // newest alone.
  let older: readonly (readonly Run[])[] = []
  let newest = emptyPart()
  const counts = new Map<string, number>()
  const touched = new Set<Run>()
  const all = () => [...older.flat(), ...newest.runs]
  const forget = (gone: readonly Run[], left: readonly (readonly Run[])[]) => {
    for (const run of gone) {
      counts.set(run.mac, counts.get(run.mac)! - 1)
      touched.delete(run)
    }
    older = left
  }
  const append = (run: Run) => {
    if (newest.runs.length >= PART) {
      // Of whoever has more than their share, all but the part that is full now.
      for (const [mac, count] of counts)
        if (count > MOST_EACH)
          forget(
            older.flatMap((runs) => runs.filter((run) => run.mac === mac)),
            older.map((runs) => runs.filter((run) => run.mac !== mac)),
          )
      older = [...older, newest.runs]
      newest = emptyPart()
      while (older.reduce((sum, runs) => sum + runs.length, 0) > MOST - PART)
        forget(older[0]!, older.slice(1))
    }
    counts.set(run.mac, (counts.get(run.mac) ?? 0) + 1)
    touched.add(run)
    const { runs, latest } = newest
    const own =
      latest.get(run.mac) ?? latest.set(run.mac, { allow: new Map(), block: new Map() }).get(run.mac)!
    runs.push(run)
    own[run.effect].set(run.name, run)
  }
  const keep = (runs: readonly Run[]) => {
    older = []
    newest = emptyPart()
    counts.clear()
    runs.forEach(append)
  }
  return {
    add: (mac, name, effect, at) => {
      if (!setting.kept || setting.exempt.has(mac)) return
      const run = newest.latest.get(mac)?.[effect].get(name)
      if (run && at >= run.first && at - run.first < RUN) {
        run.last = at
        touched.add(run)
        run.tries++
        return
      }
      append({ mac, name, effect, first: at, last: at, tries: 1 })
    },
    set: (kept, days, exempt) => {
      setting = { kept, seconds: days * DAY, exempt }
      const latest = all().at(-1)?.last ?? 0
      keep(all().filter(({ mac, last }) => kept && !exempt.has(mac) && latest - last < setting.seconds))
    },
    since: (at) =>
      all()
        .filter(({ last }) => last >= at)
        .map(told),
    changes: () => {
      const changed = [...touched].map(told)
      touched.clear()
      return changed
    },
    size: () => older.reduce((sum, runs) => sum + runs.length, newest.runs.length),
    restore: (kept) =>
      keep(kept.map((run) => ({ ...run, first: readInstant(run.first)!, last: readInstant(run.last)! }))),
  }
}

const told = (run: Run): Lookup => ({ ...run, first: instantText(run.first), last: instantText(run.last) })

const emptyPart = (): Part => ({ runs: [], latest: new Map() })
