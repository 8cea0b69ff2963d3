import type { PolicyPeriod } from '../../../core/decision/periods.ts'
import { reachTeller } from '../../../core/decision/reach.ts'
import { isBlocked, type Standing } from '../../../core/decision/standing.ts'
import type { Segment } from '../../../core/decision/timeline.ts'
import { joinStates, type StateRange } from '../../../core/picture/band.ts'
import type { Ranges } from '../../../core/time/ranges.ts'
import { boardText } from '../../text/board.ts'

/** The room for the words beside two bands, in pixels. */
export const BESIDE = 104

/**
 * One of two bands that are compared: what it is, its access over a range, and the moment (seconds) that is
 * looked at.
 */
export interface Side {
  readonly words: string
  readonly stretches: readonly ReachRange[]
  /** The times at which it may be blocked by a used-up allowance. */
  readonly mayBe?: Ranges
  readonly from: number
  readonly until: number
  readonly needle?: number
}

/** A stretch with what can be reached in it, as `reachTeller` tells it; without, the state says it. */
export interface ReachRange extends StateRange {
  readonly reach?: string
}

/** Segments with what can be reached in each, by the policies of their times. */
export function withReach(segments: readonly Segment[], periods: readonly PolicyPeriod[]): ReachRange[] {
  return segments.map((segment) => ({ ...segment, reach: reachAt(periods, segment.from, segment) }))
}

/** Tells what a standing at an instant (seconds) lets somebody reach, by the policy of that time. */
export function reachAt(
  periods: readonly PolicyPeriod[],
  at: number,
  standing: Pick<Standing, 'clauses'>,
): string {
  const { policy } = periods.findLast(({ from }) => from <= at) ?? periods[0]!
  return reachTeller(policy)(standing)
}

/** Returns the ranges (seconds) in which two bands differ; neighbours are joined. */
export function differences(
  before: readonly ReachRange[],
  after: readonly ReachRange[],
): { from: number; until: number }[] {
  const edges = [...new Set([...before, ...after].flatMap(({ from, until }) => [from, until]))].sort(
    (a, b) => a - b,
  )
  const stateAt = (stretches: readonly ReachRange[], at: number) => {
    const here = stretches.find(({ from, until }) => from <= at && at < until)
    return here?.reach ?? here?.state
  }
  const found: { from: number; until: number }[] = []
  edges.slice(1).forEach((until, index) => {
    const from = edges[index]!
    if (stateAt(before, from) === stateAt(after, from)) return
    const last = found.at(-1)
    if (last?.until === from) last.until = until
    else found.push({ from, until })
  })
  return found
}

/** The part of `[from, until)` that is blocked, in words for those who do not see the picture. */
export function bandWords(stretches: readonly StateRange[], clock: (instant: number) => string): string {
  const blocked = joinStates(stretches).filter(({ state }) => isBlocked(state))
  return blocked.length === 0
    ? boardText.notBlocked
    : boardText.blockedDuring(
        blocked.map(({ from, until }) => boardText.range(clock(from), clock(until))).join(', '),
      )
}
