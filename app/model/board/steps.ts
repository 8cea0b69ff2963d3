import type { State } from '../../../core/decision/standing.ts'
import type { Segment, Timeline } from '../../../core/decision/timeline.ts'

/**
 * The states that are drawn, from the ground up: those with the most access first; who is blocked is what is
 * missing above.
 */
export const DRAWN = ['open', 'filtered', 'listed-only'] as const satisfies readonly State[]

/** The number of devices in each state from an instant (seconds) on, until the next step. */
export type Step = { readonly at: number } & Readonly<Record<State, number>>

/** Returns the number of devices that are blocked in a step. */
export const blockedIn = (step: Step) => step['cut-off'] + step['listed-only']

/**
 * Returns the number of devices in each state over the course of the timelines' common range; one step an
 * instant, only where a number changes.
 */
export function stateSteps(timelines: readonly Timeline[]): Step[] {
  const turns = new Map<number, Record<string, number>>()
  const [from, end] = [timelines[0]?.segments[0]?.from, timelines[0]?.segments.at(-1)?.until]
  if (from === undefined || end === undefined) return []
  const turn = (at: number, state: State, by: number) => {
    const there = turns.get(at) ?? turns.set(at, {}).get(at)!
    there[state] = (there[state] ?? 0) + by
  }
  // Many share their segments.
  const alike = new Map<readonly Segment[], number>()
  for (const { segments } of timelines) alike.set(segments, (alike.get(segments) ?? 0) + 1)
  for (const [segments, count] of alike) {
    for (const segment of segments) {
      turn(segment.from, segment.state, count)
      turn(segment.until, segment.state, -count)
    }
  }
  const counts: Record<State, number> = { 'open': 0, 'filtered': 0, 'listed-only': 0, 'cut-off': 0 }
  return [...turns]
    .sort(([a], [b]) => a - b)
    .flatMap(([at, changes]): Step[] => {
      for (const [state, by] of Object.entries(changes)) counts[state as State] += by
      const isChanged = Object.values(changes).some((by) => by !== 0)
      return at < end && (isChanged || at === from) ? [{ at, ...counts }] : []
    })
}
