import { clauseMask, maskOf, intervalsOf, standingIn, type Compiled } from './compile.ts'
import type { Standing } from './standing.ts'
import type { Subject } from './subject.ts'

/**
 * A longest stretch `[from, until)` (seconds), clipped to what was asked, in which the clauses stay the same.
 */
export interface Segment extends Standing {
  readonly from: number
  readonly until: number
}

/** A subject's segments over a range: in order, each beginning where the one before ends. */
export interface Timeline extends Subject {
  readonly segments: readonly Segment[]
}

/**
 * Everyone's segments over `[from, until)` (seconds), in the order asked.
 *
 * @throws RangeError where the range is empty or a device is unknown
 */
export function timelines(
  compiled: Compiled,
  subjects: readonly Subject[],
  from: number,
  until: number,
): Timeline[] {
  if (!(from < until)) throw new RangeError('A timeline ends after it begins.')
  const intervals = intervalsOf(
    compiled,
    new Set(subjects.map((subject) => maskOf(compiled, subject))),
    from,
    until,
  )
  const { maskWords } = compiled
  let clauses = new Uint32Array(maskWords)
  let before = new Uint32Array(maskWords)
  const segmentsOf = (subject: Subject, includes: Uint32Array) => {
    const segments: Segment[] = []
    let begun = from
    clauseMask(compiled, includes, intervals, 0, before)
    for (let interval = 1; interval < intervals.edges.length - 1; interval++) {
      clauseMask(compiled, includes, intervals, interval, clauses)
      let word = 0
      while (word < maskWords && clauses[word] === before[word]) word++
      if (word === maskWords) continue
      segments.push(segment(begun, intervals.edges[interval]!, standingIn(compiled, subject, before)))
      begun = intervals.edges[interval]!
      ;[before, clauses] = [clauses, before]
    }
    segments.push(segment(begun, until, standingIn(compiled, subject, before)))
    return segments
  }
  // Those with the same candidates share their segments.
  const known = new Map<Uint32Array, Segment[]>()
  return subjects.map((subject) => {
    const includes = maskOf(compiled, subject)
    const segments =
      subject.device !== null && compiled.shielded.has(subject.device)
        ? [segment(from, until, standingIn(compiled, subject, includes))]
        : (known.get(includes) ?? known.set(includes, segmentsOf(subject, includes)).get(includes)!)
    return { ...subject, segments }
  })
}

/**
 * The states of a timeline and when each begins, as a text: segments that differ only in their clauses look
 * the same from outside.
 */
export function stateText(segments: readonly Segment[]): string {
  return segments
    .filter(({ state }, index) => state !== segments[index - 1]?.state)
    .map(({ from, state }) => `${from} ${state}`)
    .join()
}

const segment = (from: number, until: number, { state, decidedBy: because, clauses }: Standing): Segment => ({
  from,
  until,
  state,
  decidedBy: because,
  clauses,
})
