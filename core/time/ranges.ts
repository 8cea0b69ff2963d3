/** A stretch of time, half-open `[from, until)`, in whole seconds since 1970-01-01T00:00:00Z. */
export interface Range {
  readonly from: number
  readonly until: number
}

/** A set of instants: ranges in ascending order that neither overlap nor touch. */
export type Ranges = readonly Range[]

/**
 * The union of ranges in any order, overlapping or not; empty ranges vanish.
 *
 * @example unite([{ from: 0, until: 5 }, { from: 5, until: 9 }]) // [{ from: 0, until: 9 }]
 */
export function unite(ranges: readonly Range[]): Ranges {
  const sorted = ranges.filter((range) => range.from < range.until).sort((a, b) => a.from - b.from)
  const united: { from: number; until: number }[] = []
  for (const { from, until } of sorted) {
    const last = united.at(-1)
    if (last && from <= last.until) last.until = Math.max(last.until, until)
    else united.push({ from, until })
  }
  return united
}

/**
 * Returns the parts of `[from, until)` that are not in `ranges`.
 *
 * @example complement([{ from: 2, until: 4 }], 0, 10) // [{ from: 0, until: 2 }, { from: 4, until: 10 }]
 */
export function complement(ranges: Ranges, from: number, until: number): Ranges {
  const gaps: Range[] = []
  let open = from
  for (const range of ranges) {
    if (range.until <= from) continue
    if (range.from >= until) break
    if (range.from > open) gaps.push({ from: open, until: range.from })
    open = Math.max(open, range.until)
  }
  if (open < until) gaps.push({ from: open, until })
  return gaps
}

/** The part of `ranges` within `[from, until)`. */
export function clip(ranges: Ranges, from: number, until: number): Ranges {
  return ranges
    .filter((range) => range.until > from && range.from < until)
    .map((range) => ({ from: Math.max(range.from, from), until: Math.min(range.until, until) }))
}

/** Returns the ranges that lie in both. */
export function intersect(one: Ranges, other: Ranges): Ranges {
  return unite(other.flatMap(({ from, until }) => clip(one, from, until)))
}

/** Whether the instant lies in one of the ranges. */
export function covers(ranges: Ranges, instant: number): boolean {
  return ranges.some((range) => range.from <= instant && instant < range.until)
}

/**
 * The seconds that the ranges hold together.
 *
 * @example secondsIn([{ from: 2, until: 4 }, { from: 6, until: 7 }]) // 3
 */
export function secondsIn(ranges: Ranges): number {
  return ranges.reduce((sum, range) => sum + range.until - range.from, 0)
}
