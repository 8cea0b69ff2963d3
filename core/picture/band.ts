import { clip, type Ranges } from '../time/ranges.ts'
import type { State } from '../decision/standing.ts'

/** A stretch of time in one state; instants in seconds, half-open. */
export interface StateRange {
  readonly from: number
  readonly until: number
  readonly state: State
}

/**
 * One drawn stretch, in pixels: its bounds and, where it is not the bare baseline, its outline or its dots.
 */
export interface Shape {
  readonly state: State
  readonly x0: number
  readonly x1: number
  readonly path: string
  readonly dots: readonly number[]
}

/** The teeth of a filtered stretch and the dots of a listed-only one, in pixels. */
const TOOTH = 7
const DOT = 6

/** Joins neighbours of one state, whatever clauses they follow from. */
export function joinStates(stretches: readonly StateRange[]): StateRange[] {
  const joined: StateRange[] = []
  for (const { from, until, state } of stretches) {
    const last = joined.at(-1)
    if (last?.state === state && last.until === from) joined[joined.length - 1] = { ...last, until }
    else joined.push({ from, until, state })
  }
  return joined
}

/**
 * Draws access as height over `[from, until)` in a box of `width` × `height` pixels, the baseline at the
 * bottom: full where open, lower and notched where filtered, dots where only listed sites are open, nothing
 * where cut off.
 */
export function bandShapes(
  stretches: readonly StateRange[],
  from: number,
  until: number,
  width: number,
  height: number,
): Shape[] {
  const scale = (instant: number) =>
    Math.round(((Math.min(Math.max(instant, from), until) - from) / (until - from)) * width * 10) / 10
  return joinStates(stretches)
    .map((stretch) => ({ state: stretch.state, x0: scale(stretch.from), x1: scale(stretch.until) }))
    .filter(({ x0, x1 }) => x1 > x0)
    .map(({ state, x0, x1 }) => ({
      state,
      x0,
      x1,
      path: pathOf(state, x0, x1, height),
      dots: state === 'listed-only' ? dotsBetween(x0, x1) : [],
    }))
}

/** The part of the height that is drawn pale where somebody may be blocked. */
const PALE = 0.5

/**
 * Draws, over what `bandShapes` draws, the pale edge of the times in which somebody may be blocked: outlines,
 * one for each.
 */
export function mayBeShapes(
  ranges: Ranges,
  from: number,
  until: number,
  width: number,
  height: number,
): string[] {
  return clip(ranges, from, until).map((range) => {
    const [x0, x1] = [range.from, range.until].map(
      (at) => Math.round(((at - from) / (until - from)) * width * 10) / 10,
    )
    return `M${x0},${height * PALE}V0H${x1}V${height * PALE}Z`
  })
}

function pathOf(state: State, x0: number, x1: number, height: number): string {
  if (state === 'open') return `M${x0},${height}V0H${x1}V${height}Z`
  return state === 'filtered' ? notched(x0, x1, height) : ''
}

function notched(x0: number, x1: number, height: number): string {
  const top = height * 0.36
  let path = `M${x0},${height}V${top}`
  for (let x = x0; x < x1 - 0.1; x += TOOTH) {
    const end = Math.min(x + TOOTH, x1)
    path += `L${(x + end) / 2},${top + 3.6}L${end},${top}`
  }
  return `${path}V${height}Z`
}

function dotsBetween(x0: number, x1: number): number[] {
  const dots: number[] = []
  for (let x = x0 + DOT / 2; x < x1 - 1; x += DOT) dots.push(x)
  return dots.length > 0 ? dots : [(x0 + x1) / 2]
}
