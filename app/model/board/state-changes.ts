import { isBlocked } from '../../../core/decision/standing.ts'
import type { Timeline } from '../../../core/decision/timeline.ts'

/**
 * The devices that are blocked and those that are allowed again at an instant (seconds), by their places in
 * the list.
 */
export interface StateChange {
  readonly at: number
  readonly blocked: readonly number[]
  readonly back: readonly number[]
}

/**
 * Every instant after the beginning of the timelines' common range at which somebody is blocked or let back
 * in, in order.
 */
export function stateChanges(timelines: readonly Timeline[]): StateChange[] {
  const turns = new Map<number, { blocked: number[]; back: number[] }>()
  timelines.forEach(({ segments }, index) =>
    segments.slice(1).forEach((segment, at) => {
      const [was, is] = [isBlocked(segments[at]!.state), isBlocked(segment.state)]
      if (was === is) return
      const turn =
        turns.get(segment.from) ?? turns.set(segment.from, { blocked: [], back: [] }).get(segment.from)!
      ;(is ? turn.blocked : turn.back).push(index)
    }),
  )
  return [...turns].sort(([a], [b]) => a - b).map(([at, turn]) => ({ at, ...turn }))
}
