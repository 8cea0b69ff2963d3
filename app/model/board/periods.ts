import type { PolicyPeriod } from '../../../core/decision/periods.ts'
import { overridesFor, spentFor } from '../../../core/policy/overrides.ts'
import type { Policy } from '../../../core/policy/types.ts'
import { DAY } from '../../../core/time/duration.ts'
import { readInstant } from '../../../core/time/instant.ts'
import type { LiveAnswer, PeriodAnswer } from '../../../protocol/answers.ts'

/** The past for which the live policy says which overrides ended and which allowances were used up. */
const LIVE_PAST_SECONDS = 7 * DAY

/**
 * The policies of all time, without gaps, the earliest first: those that were in force before, then what is
 * live, or the draft in its place from an instant on.
 *
 * @param past what the server knows of the past; before that it is taken to have been as the first of it
 * @param live what is live, and when (seconds) that was heard of: by a clock that is behind, before it was made
 * @param edited the draft; `null` = what is live goes on
 * @param at the instant (seconds) from which the draft is looked at
 */
export function periodsOf(
  past: readonly PeriodAnswer[],
  live: LiveAnswer & { readonly heardAt?: number },
  edited: Policy | null,
  at: number,
): PolicyPeriod[] {
  const since = live.revision
    ? Math.min(readInstant(live.revision.createdAt)!, live.heardAt ?? Infinity)
    : -Infinity
  const before = past
    .map(({ from, until, policy }): PolicyPeriod => ({
      from: from === null ? -Infinity : readInstant(from)!,
      until: until === null ? Infinity : readInstant(until)!,
      policy,
    }))
    .filter(({ from }) => from < since)
    .map((period) => ({ ...period, until: Math.min(period.until, since) }))
  const first = before[0] ? [{ ...before[0], from: -Infinity }, ...before.slice(1)] : []
  const begun = first.length > 0 ? since : -Infinity
  // Further back, the past knows what was beside the same revision.
  const early = past.findLast(({ number }) => number !== null && number === live.revision?.number)
  const border = Math.floor((at - LIVE_PAST_SECONDS) / DAY) * DAY
  const earlier =
    early && begun < border && since < border ? [{ from: begun, until: border, policy: early.policy }] : []
  const now = { from: earlier.length > 0 ? border : begun, until: Infinity, policy: live.policy }
  if (!edited) return [...first, ...earlier, now]
  const policy = {
    ...edited,
    overrides: overridesFor(edited, live.policy.overrides),
    spent: spentFor(edited, live.policy.spent),
  }
  return [
    ...first,
    ...earlier,
    ...(at > now.from ? [{ ...now, until: at }] : []),
    { from: Math.max(now.from, at), until: Infinity, policy },
  ]
}
