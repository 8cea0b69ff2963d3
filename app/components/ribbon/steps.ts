import { isBlocked } from '../../../core/decision/standing.ts'
import type { Timeline } from '../../../core/decision/timeline.ts'

/** How many devices are blocked from an instant (seconds) on, until the next step. */
export interface Step { readonly at: number, readonly blocked: number }

/** How many devices are blocked over the course of the timelines' common range; one step an instant, only where the number changes. */
export function blockedSteps(timelines: readonly Timeline[]): Step[] {
  const turns = new Map<number, number>()
  const from = timelines[0]?.segments[0]?.from
  if (from === undefined) return []
  const turn = (at: number, by: number) => turns.set(at, (turns.get(at) ?? 0) + by)
  turn(from, 0)
  for (const { segments } of timelines) {
    for (const segment of segments) {
      if (!isBlocked(segment.state)) continue
      turn(segment.from, 1)
      turn(segment.until, -1)
    }
  }
  const end = timelines[0]!.segments.at(-1)!.until
  let blocked = 0
  return [...turns].sort(([a], [b]) => a - b).flatMap(([at, by]) => {
    blocked += by
    return at < end && (by !== 0 || at === from) ? [{ at, blocked }] : []
  })
}
