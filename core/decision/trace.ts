import { DAY } from '../time/duration.ts'
import { hoursLookup, type Candidate } from './candidate.ts'
import { candidatesIn, maskOf, type Compiled } from './compile.ts'
import { deviceSubject, type Subject } from './subject.ts'

/** One rule or override that includes a device, and its part in a moment. */
export interface TraceStep {
  readonly kind: Candidate['kind']
  readonly id: string
  readonly effect: Candidate['effect']
  readonly internet: boolean
  /**
   * `counts`: a clause. `decides`: the clause that settles the rest of the internet. `behind`: in force, but
   * one before it settles all. `rests`: not in force.
   */
  readonly part: 'counts' | 'decides' | 'behind' | 'rests'
  /** For one that rests: when it comes into force next (seconds), `null` where not within a week. */
  readonly next: number | null
}

/** The time ahead in which the next turn of a resting rule is looked for. */
const LOOK_AHEAD_SECONDS = 7 * DAY

/**
 * Every rule and override that includes a subject, in the order in which they decide, with its part at the
 * instant (seconds). A shielded device has none.
 */
export function traceAt(compiled: Compiled, subject: Subject, at: number): TraceStep[] {
  const hours = hoursLookup(compiled.schedules, compiled.zone, at, at + LOOK_AHEAD_SECONDS)
  let settled = false
  return candidatesIn(compiled, maskOf(compiled, subject)).flatMap((candidate): TraceStep[] => {
    const { kind, id, effect, internet } = candidate
    const [first] = candidate.inForce(at, at + LOOK_AHEAD_SECONDS, hours)
    const inForce = first !== undefined && first.from <= at
    // An override that is over is history, no part of what may come.
    if (!inForce && kind === 'override' && !first) return []
    let part: TraceStep['part']
    if (!inForce) part = 'rests'
    else if (settled) part = 'behind'
    else if (internet) part = 'decides'
    else part = 'counts'
    settled ||= part === 'decides'
    return [{ kind, id, effect, internet, part, next: inForce ? null : (first?.from ?? null) }]
  })
}

/** The parts from what weighs most: what a rule does to one of several devices counts for all. */
const WEIGHTS: readonly TraceStep['part'][] = ['decides', 'counts', 'behind', 'rests']

/**
 * The rules that include one of some devices, by their ids, each with the weightiest part that it has for one
 * of them at an instant (seconds).
 *
 * @throws RangeError for a device that the policy has not
 */
export function partsFor(
  compiled: Compiled,
  devices: readonly string[],
  at: number,
): Map<string, TraceStep['part']> {
  const parts = new Map<string, TraceStep['part']>()
  const steps = devices.flatMap((device) => traceAt(compiled, deviceSubject(device), at))
  for (const { kind, id, part } of steps) {
    const known = parts.get(id)
    if (kind === 'rule' && (known === undefined || WEIGHTS.indexOf(part) < WEIGHTS.indexOf(known)))
      parts.set(id, part)
  }
  return parts
}
