import type { Policy } from '../policy/types.ts'
import { DAY } from '../time/duration.ts'
import { compiledOf, subjectOfMac, type Compiled } from './compile.ts'
import { momentsAt, type Bounds, type StateAt } from './moment.ts'
import { timelines, type Segment, type Timeline } from './timeline.ts'
import type { Standing } from './standing.ts'
import type { Subject } from './subject.ts'

/**
 * A policy and the time `[from, until)` (seconds; infinite at the ends) in which it was, is or will be in
 * force.
 */
export interface PolicyPeriod {
  readonly from: number
  readonly until: number
  readonly policy: Policy
}

/**
 * Somebody whom different policies may know differently: by the id of a device (`null` = none), else by the
 * first address; and the network in which they are.
 */
export interface Person {
  readonly device: string | null
  readonly macs: readonly string[]
  readonly network: string | null
}

/**
 * Returns the subject of a person in a compiled policy: the device with that id, else whoever has the first
 * address, mostly a newcomer.
 */
export function subjectOf(compiled: Compiled, { device, macs, network }: Person): Subject {
  if (device !== null && compiled.includes.has(device)) return { device, mac: null, network }
  return subjectOfMac(compiled, macs[0] ?? '', network)
}

/**
 * Everyone's segments over `[from, until)` (seconds), in the order asked, each period by its own policy; what
 * goes on alike from one period into the next is one
 * segment. The periods follow each other without a gap and cover the range. Each timeline is named by the
 * subject in the last period of the range.
 */
export function periodTimelines(
  periods: readonly PolicyPeriod[],
  people: readonly Person[],
  from: number,
  until: number,
): Timeline[] {
  const parts = periods
    .filter((period) => period.from < until && from < period.until)
    .map((period) => {
      const compiled = compiledOf(period.policy)
      return timelines(
        compiled,
        people.map((person) => subjectOf(compiled, person)),
        Math.max(from, period.from),
        Math.min(until, period.until),
      )
    })
  // Those who share their segments in every period share them joined.
  const numbers = new Map<readonly Segment[], number>()
  const known = new Map<string, readonly Segment[]>()
  return people.map((_, index) => {
    const lines = parts.map((part) => part[index]!)
    const key = lines
      .map(({ segments }) => numbers.get(segments) ?? numbers.set(segments, numbers.size).get(segments)!)
      .join()
    const { device, mac, network } = lines.at(-1)!
    return { device, mac, network, segments: known.get(key) ?? known.set(key, joined(lines)).get(key)! }
  })
}

function joined(parts: readonly Timeline[]): Segment[] {
  const segments: Segment[] = []
  for (const segment of parts.flatMap((part) => part.segments)) {
    const last = segments.at(-1)
    if (last && sameStanding(last, segment)) segments[segments.length - 1] = { ...last, until: segment.until }
    else segments.push(segment)
  }
  return segments
}

/**
 * Returns the standing of everyone at an instant (seconds) by the period of that time, with `since` and
 * `until` followed into the periods before and after it; the segment ends with the period.
 */
export function periodStates(
  periods: readonly PolicyPeriod[],
  people: readonly Person[],
  at: number,
): StateAt[] {
  const here = periods.findIndex((period) => period.from <= at && at < period.until)
  const momentsIn = (index: number, some: readonly Person[], when: number) => {
    const compiled = compiledOf(periods[index]!.policy)
    return momentsAt(
      compiled,
      some.map((person) => subjectOf(compiled, person)),
      when,
    )
  }
  const now = momentsIn(here, people, at)
  const [since, until] = [now.map((moment) => moment.since), now.map((moment) => moment.until)]
  // All whose state may go on over a border are followed together: one by one each would look through the
  // years for itself.
  let pending = people.map((_, index) => index)
  for (let period = here; period > 0; period--) {
    const { from } = periods[period]!
    pending = pending.filter((index) => since[index] === null || since[index]! < from)
    const before = momentsIn(
      period - 1,
      pending.map((index) => people[index]!),
      from - 1,
    )
    pending = pending.filter((index, order) => {
      const goesOn = before[order]!.state === now[index]!.state
      since[index] = goesOn ? before[order]!.since : from
      return goesOn
    })
  }
  pending = people.map((_, index) => index)
  for (let period = here; period < periods.length - 1; period++) {
    const border = periods[period]!.until
    pending = pending.filter((index) => until[index] === null || until[index]! > border)
    const after = momentsIn(
      period + 1,
      pending.map((index) => people[index]!),
      border,
    )
    pending = pending.filter((index, order) => {
      const goesOn = after[order]!.state === now[index]!.state
      until[index] = goesOn ? after[order]!.until : border
      return goesOn
    })
  }
  const { from, until: end } = periods[here]!
  const within = (segment: Bounds): Bounds => ({
    since: from === -Infinity ? segment.since : Math.max(segment.since ?? from, from),
    until: end === Infinity ? segment.until : Math.min(segment.until ?? end, end),
  })
  return now.map((moment, index) => ({
    ...moment,
    since: since[index]!,
    until: until[index]!,
    segment: within(moment.segment),
  }))
}

/**
 * Works out `periodStates` at one instant (seconds) after the other: only those whose segment has ended in
 * between are worked out anew, and while nobody's has, the answer is the same array.
 */
export function momentsAlong(
  periods: readonly PolicyPeriod[],
  people: readonly Person[],
): (at: number) => readonly StateAt[] {
  let moments: readonly StateAt[] = []
  /** The time at which each was worked out: a bound beyond the horizon is looked for again a day later. */
  const asked = people.map(() => -Infinity)
  return (at) => {
    const over = people.flatMap((_, index) => {
      const { since, until } = moments[index]?.segment ?? { since: Infinity, until: Infinity }
      return (since ?? asked[index]! - DAY) <= at && at < (until ?? asked[index]! + DAY) ? [] : [index]
    })
    if (over.length === 0) return moments
    const next = [...moments]
    periodStates(
      periods,
      over.map((index) => people[index]!),
      at,
    ).forEach((moment, order) => {
      next[over[order]!] = moment
      asked[over[order]!] = at
    })
    return (moments = next)
  }
}

function sameStanding(a: Standing, b: Standing): boolean {
  return (
    a.state === b.state &&
    a.decidedBy?.id === b.decidedBy?.id &&
    a.decidedBy?.kind === b.decidedBy?.kind &&
    a.clauses.join('\n') === b.clauses.join('\n')
  )
}
