import type { Week } from '../../../core/time/week.ts'

/** A bar in a day's lane: minutes of that day; `joined` where it goes on from the lane before, `runsOn` where it goes on in the next. */
export interface Bar { readonly start: number, readonly end: number, readonly joined: boolean, readonly runsOn: boolean }

const DAY = 1440

/** A week as seven lanes, Monday first: each day's windows, and what the evening before left over; Sunday runs on into Monday. */
export function weekLanes(week: Week): Bar[][] {
  return week.map((spans, day) => [
    ...week[(day + 6) % 7]!.filter(({ end }) => end > DAY).map(({ end }) => ({ start: 0, end: Math.min(end - DAY, DAY), joined: true, runsOn: false })),
    ...spans.map(({ start, end }) => ({ start, end: Math.min(end, DAY), joined: false, runsOn: end > DAY })),
  ])
}

/** The hours that a week's windows hold together, in minutes; where windows of two days overlap they count once. */
export function minutesOf(week: Week): number {
  return weekLanes(week).reduce((sum, lane) => {
    let reached = 0
    return sum + [...lane].sort((a, b) => a.start - b.start).reduce((minutes, { start, end }) => {
      const length = Math.max(0, end - Math.max(start, reached))
      reached = Math.max(reached, end)
      return minutes + length
    }, 0)
  }, 0)
}
