import type { Destination } from '../destination/destination.ts'
import type { Candidate } from './candidate.ts'
import type { Compiled } from './compile.ts'
import type { Subject } from './subject.ts'
import { verdictOf, type Verdict } from './standing.ts'
import { timelines, type Segment } from './timeline.ts'

/**
 * A longest stretch `[from, until)` (seconds), clipped to what was asked, in which one clause decides about a
 * destination.
 */
export interface VerdictSpan extends Verdict {
  readonly from: number
  readonly until: number
}

/**
 * Returns the verdicts on a destination for a subject over `[from, until)` (seconds).
 *
 * @throws RangeError where the range is empty or the device is unknown
 */
export function verdictSpans(
  compiled: Compiled,
  subject: Subject,
  destination: Destination,
  from: number,
  until: number,
): VerdictSpan[] {
  return verdictSpansOf(compiled, [subject], destination, from, until)[0]!
}

/** Returns the same for each of many subjects. */
export function verdictSpansOf(
  compiled: Compiled,
  subjects: readonly Subject[],
  destination: Destination,
  from: number,
  until: number,
): VerdictSpan[][] {
  const candidates = new Map(compiled.candidates.map((candidate) => [candidate.id, candidate]))
  // Many devices share their segments.
  const known = new Map<readonly Segment[], VerdictSpan[]>()
  return timelines(compiled, subjects, from, until).map(({ segments }) => {
    const spans = known.get(segments) ?? spansOf(candidates, segments, destination)
    known.set(segments, spans)
    return spans
  })
}

function spansOf(
  candidates: ReadonlyMap<string, Candidate>,
  segments: readonly Segment[],
  destination: Destination,
): VerdictSpan[] {
  const spans: VerdictSpan[] = []
  for (const segment of segments) {
    const verdict: Verdict =
      segment.decidedBy?.kind === 'shielded'
        ? { effect: 'allow', decidedBy: segment.decidedBy }
        : verdictOf(
            segment.clauses.map((id) => candidates.get(id)!),
            destination,
          )
    const last = spans.at(-1)
    if (last && last.effect === verdict.effect && last.decidedBy?.id === verdict.decidedBy?.id)
      spans[spans.length - 1] = { ...last, until: segment.until }
    else spans.push({ ...verdict, from: segment.from, until: segment.until })
  }
  return spans
}
