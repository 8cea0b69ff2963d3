import { decides } from '../../../core/decision/candidate.ts'
import type { Policy } from '../../../core/policy/types.ts'
import { clockChanges } from '../../../core/time/clock-change.ts'
import { readDate, readLocal, startOfDay } from '../../../core/time/instant.ts'
import { boardText } from '../../text/board.ts'

/** Something on the time line that makes it other than usual: from an instant (seconds) on, in words. */
export interface Mark {
  readonly at: number
  readonly words: string
}

/**
 * Returns the unusual times within `[from, until)` (seconds) under a policy: clock changes, exceptions of
 * schedules that rules use, and rules for one occasion; in their order.
 */
export function marksOf(policy: Policy, from: number, until: number): Mark[] {
  const zone = policy.place.timeZone
  const used = new Set(
    policy.rules.filter(decides).flatMap(({ when }) => ('schedules' in when ? when.schedules : [])),
  )
  const marks: Mark[] = [
    ...clockChanges(zone, from, until).map(({ at, kind }) => ({
      at,
      words: kind === 'skipped' ? boardText.clockSkips : boardText.clockRepeats,
    })),
    ...policy.schedules
      .filter(({ id }) => used.has(id))
      .flatMap(({ name, exceptions }) =>
        exceptions.map((exception) => {
          // An exception that began before what is shown still counts from its beginning on.
          const [first, end] = [
            startOfDay(readDate(exception.from)!, zone),
            startOfDay(readDate(exception.until)! + 1, zone),
          ]
          return {
            at: first < from && end > from ? from : first,
            words: boardText.exceptionMark(
              name,
              exception.hours,
              exception.hours === 'off',
              exception.from,
              exception.until,
            ),
          }
        }),
      ),
    ...policy.rules
      .filter(decides)
      .flatMap(({ name, when }) =>
        'from' in when ? [{ at: readLocal(when.from, zone)!, words: boardText.onlyThisOnce(name) }] : [],
      ),
  ]
  return marks.filter(({ at }) => from <= at && at < until).sort((a, b) => a.at - b.at)
}
