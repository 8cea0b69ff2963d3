import { readDate, weekdayOf } from './instant.ts'
import { DAY } from './duration.ts'
import { complement, unite, type Range, type Ranges } from './ranges.ts'
import { readExceptionHours, readWeek, type Span, type Week } from './week.ts'
import type { Read } from './week-tokens.ts'
import { offsetStretches } from './zone.ts'

/**
 * Weekly hours with the dates that differ; days are numbers since 1970-01-01, both ends of an exception
 * included.
 */
export interface Hours {
  readonly week: Week
  readonly exceptions: readonly {
    readonly from: number
    readonly until: number
    readonly spans: readonly Span[]
  }[]
}

/**
 * The schedule texts of a policy that was read, as hours.
 *
 * @throws Error on a text that the policy reader would have refused
 */
export function hoursOf(schedule: {
  readonly week: string
  readonly exceptions: readonly { readonly from: string; readonly until: string; readonly hours: string }[]
}): Hours {
  return {
    week: valueOf(readWeek(schedule.week)),
    exceptions: schedule.exceptions.map(({ from, until, hours }) => ({
      from: readDate(from)!,
      until: readDate(until)!,
      spans: valueOf(readExceptionHours(hours)),
    })),
  }
}

/** The windows that start on a day: those of the first exception that covers it, or else its weekday's. */
export function windowsOn(hours: Hours, day: number): readonly Span[] {
  const exception = hours.exceptions.find(({ from, until }) => from <= day && day <= until)
  return exception ? exception.spans : hours.week[weekdayOf(day)]!
}

/** The places of exceptions that never count, since earlier ones cover all of their dates. */
export function coveredExceptions(
  exceptions: readonly { readonly from: string; readonly until: string }[],
): number[] {
  // Days as half-open ranges, so that dates that follow each other make one.
  const ranges = exceptions.map(({ from, until }) => ({ from: readDate(from)!, until: readDate(until)! + 1 }))
  return ranges.flatMap((range, index) =>
    complement(unite(ranges.slice(0, index)), range.from, range.until).length === 0 ? [index] : [],
  )
}

/**
 * The instants of `[from, until)` (seconds) at which the wall clock of the zone reads a time inside a window.
 * Each window is clipped
 * to every stretch of constant offset, so a skipped hour never comes and a repeated one comes twice.
 */
export function hoursWithin(hours: Hours, zone: string, from: number, until: number): Ranges {
  const found: Range[] = []
  for (const stretch of offsetStretches(zone, from, until)) {
    const begin = Math.max(from, stretch.from)
    const end = Math.min(until, stretch.until)
    // A window reaches at most to the end of the day after its own.
    const lastDay = Math.floor((end - 1 + stretch.offset) / DAY)
    for (let day = Math.floor((begin + stretch.offset) / DAY) - 1; day <= lastDay; day++) {
      for (const span of windowsOn(hours, day)) {
        const midnight = day * DAY - stretch.offset
        found.push({
          from: Math.max(begin, midnight + span.start * 60),
          until: Math.min(end, midnight + span.end * 60),
        })
      }
    }
  }
  return unite(found)
}

function valueOf<T>(read: Read<T>): T {
  if ('fault' in read)
    throw new Error(`A policy that was read holds hours that cannot be: ${read.fault.message}`)
  return read.value
}
