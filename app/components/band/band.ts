import { isBlocked, type State } from '../../../core/decision/standing.ts'

/** A stretch of time in one state; instants in seconds, half-open. */
export interface Stretch { readonly from: number, readonly until: number, readonly state: State }

/** The room for the words beside two bands, in pixels. */
export const BESIDE = 104

/** One of two bands that are compared: what it is, its access over a range, and the moment (seconds) that is looked at. */
export interface Side { readonly words: string, readonly stretches: readonly Stretch[], readonly from: number, readonly until: number, readonly needle?: number }

/** One drawn stretch, in pixels: its bounds and, where it is not the bare baseline, its outline or its dots. */
export interface Shape { readonly state: State, readonly x0: number, readonly x1: number, readonly path: string, readonly dots: readonly number[] }

/** The teeth of a filtered stretch and the dots of a listed-only one, in pixels. */
const TOOTH = 7
const DOT = 6

/** Joins neighbours of one state, whatever clauses they follow from. */
export function joinStates(stretches: readonly Stretch[]): Stretch[] {
  const joined: Stretch[] = []
  for (const { from, until, state } of stretches) {
    const last = joined.at(-1)
    if (last?.state === state && last.until === from) joined[joined.length - 1] = { ...last, until }
    else joined.push({ from, until, state })
  }
  return joined
}

/** Draws access as height over `[from, until)` in a box of `width` × `height` pixels, the baseline at the bottom: full where open, lower and notched where filtered, dots where only listed sites are open, nothing where cut off. */
export function bandShapes(stretches: readonly Stretch[], from: number, until: number, width: number, height: number): Shape[] {
  const scale = (instant: number) => Math.round((Math.min(Math.max(instant, from), until) - from) / (until - from) * width * 10) / 10
  return joinStates(stretches)
    .map(stretch => ({ state: stretch.state, x0: scale(stretch.from), x1: scale(stretch.until) }))
    .filter(({ x0, x1 }) => x1 > x0)
    .map(({ state, x0, x1 }) => ({
      state, x0, x1,
      path: state === 'open' ? `M${x0},${height}V0H${x1}V${height}Z` : state === 'filtered' ? notched(x0, x1, height) : '',
      dots: state === 'listed-only' ? dotsBetween(x0, x1) : [],
    }))
}

/** Where two bands over the same range differ, in seconds; neighbours joined. */
export function differences(before: readonly Stretch[], after: readonly Stretch[]): { from: number, until: number }[] {
  const edges = [...new Set([...before, ...after].flatMap(({ from, until }) => [from, until]))].sort((a, b) => a - b)
  const stateAt = (stretches: readonly Stretch[], at: number) => stretches.find(({ from, until }) => from <= at && at < until)?.state
  const found: { from: number, until: number }[] = []
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
export function bandWords(stretches: readonly Stretch[], clock: (instant: number) => string): string {
  const blocked = joinStates(stretches).filter(({ state }) => isBlocked(state))
  return blocked.length === 0 ? 'not blocked' : `blocked ${blocked.map(({ from, until }) => `${clock(from)} to ${clock(until)}`).join(', ')}`
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
