import type { Destination } from '../destination/destination.ts'
import { DAY } from '../time/duration.ts'
import {
  candidatesIn,
  clauseMask,
  maskOf,
  intervalsOf,
  standingIn,
  stateIn,
  type Compiled,
  type MaskIntervals,
} from './compile.ts'
import type { Subject } from './subject.ts'
import { verdictOf, type Standing, type Verdict } from './standing.ts'

/** The seconds within which the bounds of a moment are looked for: 400 days. */
export const REACH = 400 * DAY

/**
 * Bounds `[since, until)` (seconds) of a stretch around an instant; `null` where there is none within
 * `REACH`.
 */
export interface Bounds {
  readonly since: number | null
  readonly until: number | null
}

/**
 * A subject at an instant: its standing, the bounds of its state, whichever clauses lead to it, and those of
 * its segment, in which the clauses too stay the same.
 */
export interface StateAt extends Subject, Standing, Bounds {
  readonly segment: Bounds
}

/**
 * Everyone's standing at an instant (seconds), in the order asked.
 *
 * @throws RangeError for a device that the policy has not
 */
export function standingsAt(compiled: Compiled, subjects: readonly Subject[], at: number): Standing[] {
  const intervals = intervalsOf(
    compiled,
    new Set(subjects.map((subject) => maskOf(compiled, subject))),
    at,
    at + 1,
  )
  const clauses = new Uint32Array(compiled.maskWords)
  return subjects.map((subject) => {
    clauseMask(compiled, maskOf(compiled, subject), intervals, 0, clauses)
    return standingIn(compiled, subject, clauses)
  })
}

/** Everyone's standing at an instant (seconds) with since when and until when its state lasts. */
export function momentsAt(compiled: Compiled, subjects: readonly Subject[], at: number): StateAt[] {
  const since = boundsOf(compiled, subjects, at, 'since')
  const until = boundsOf(compiled, subjects, at, 'until')
  return standingsAt(compiled, subjects, at).map((standing, index) => ({
    ...subjects[index]!,
    ...standing,
    since: since[index]!.state,
    until: until[index]!.state,
    segment: { since: since[index]!.clauses, until: until[index]!.clauses },
  }))
}

/** Returns the verdict on a destination for a subject at an instant (seconds). */
export function verdictAt(
  compiled: Compiled,
  subject: Subject,
  at: number,
  destination: Destination,
): Verdict {
  if (subject.device !== null && compiled.shielded.has(subject.device))
    return { effect: 'allow', decidedBy: { kind: 'shielded', id: subject.device } }
  const clauses = new Uint32Array(compiled.maskWords)
  const includes = maskOf(compiled, subject)
  clauseMask(compiled, includes, intervalsOf(compiled, [includes], at, at + 1), 0, clauses)
  return verdictOf(candidatesIn(compiled, clauses), destination)
}

type Side = 'since' | 'until'

// Most changes are near: look through a day first, then further and further for those who have not changed
// yet.
const STEPS = [DAY, 8 * DAY, 64 * DAY, REACH + 1]

/**
 * Returns the first change of the clauses on one side of an instant, and the first of the state; `null` = not
 * within reach.
 */
interface Changes {
  readonly clauses: number | null
  readonly state: number | null
}
const NO_CHANGES: Changes = { clauses: null, state: null }

function boundsOf(compiled: Compiled, subjects: readonly Subject[], at: number, side: Side): Changes[] {
  const bounds = new Map<Uint32Array, Changes>(
    subjects.map((subject) => [maskOf(compiled, subject), NO_CHANGES]),
  )
  let pending = [...bounds.keys()].filter((includes) => mayChange(compiled, includes))
  for (const [index, step] of STEPS.entries()) {
    const near = STEPS[index - 1] ?? 0
    // Each stretch begins with the second beside the one before it, so that a change on the seam is seen.
    const intervals =
      side === 'until'
        ? intervalsOf(compiled, pending, at + Math.max(0, near - 1), at + step)
        : intervalsOf(compiled, pending, at - step, at - near + 1)
    const varies = varyingMask(intervals)
    pending = pending.filter((includes) => {
      if (!includes.some((word, index) => word & varies[index]!)) return true
      const found = firstChanges(compiled, includes, intervals, side)
      const clauses = bounds.get(includes)!.clauses ?? found.clauses
      bounds.set(includes, { clauses, state: found.state })
      return found.state === null
    })
    if (pending.length === 0) break
  }
  return subjects.map((subject) => bounds.get(maskOf(compiled, subject))!)
}

/**
 * Whether some candidate comes and goes before one on the internet that always decides: else the clauses stay
 * as they are for ever.
 */
function mayChange({ maskWords, internet, alwaysActive: steady }: Compiled, includes: Uint32Array): boolean {
  for (let word = 0; word < maskWords; word++) {
    const ends = includes[word]! & internet[word]! & steady[word]!
    // All bits where none ends.
    const before = (ends & -ends) - 1
    if (includes[word]! & ~steady[word]! & before) return true
    if (ends !== 0) return false
  }
  return false
}

/** The candidates that come into force or go out of it somewhere in the intervals. */
function varyingMask({ masks, maskWords }: MaskIntervals): Uint32Array {
  const varies = new Uint32Array(maskWords)
  for (let index = maskWords; index < masks.length; index++)
    varies[index % maskWords]! |= masks[index]! ^ masks[index - maskWords]!
  return varies
}

/** The nearest edges at which the clauses and the state change, walking away from the moment. */
function firstChanges(
  compiled: Compiled,
  includes: Uint32Array,
  intervals: MaskIntervals,
  side: Side,
): Changes {
  const count = intervals.edges.length - 1
  const first = side === 'until' ? 0 : count - 1
  const state = stateIn(compiled, includes, intervals, first)
  const start = new Uint32Array(compiled.maskWords)
  const here = new Uint32Array(compiled.maskWords)
  clauseMask(compiled, includes, intervals, first, start)
  let clauses: number | null = null
  for (let step = 1; step < count; step++) {
    const interval = side === 'until' ? step : count - 1 - step
    const edge = intervals.edges[side === 'until' ? interval : interval + 1]!
    if (clauses === null) {
      clauseMask(compiled, includes, intervals, interval, here)
      if (here.some((word, index) => word !== start[index])) clauses = edge
    }
    if (clauses !== null && stateIn(compiled, includes, intervals, interval) !== state)
      return { clauses, state: edge }
  }
  return { clauses, state: null }
}
