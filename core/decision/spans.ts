import type { Destination } from '../destination/destination.ts'
import type { Compiled } from './compile.ts'
import type { Subject } from './subject.ts'
import { verdictOf, type Verdict } from './standing.ts'
import { timelines } from './timeline.ts'

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
  const candidates = new Map(compiled.candidates.map((candidate) => [candidate.id, candidate]))
  const [line] = timelines(compiled, [subject], from, until)
  const spans: VerdictSpan[] = []
  for (const segment of line!.segments) {
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
