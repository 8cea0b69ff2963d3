import { dayAt, localText, readInstant, readLocal, startOfDay, dateText } from '../../core/time/instant.ts'
import { DAY, HOUR } from '../../core/time/duration.ts'
import { clockWords } from '../../core/words/clock.ts'

/** The wall clock of the zone at an instant (seconds): "21:30", or "9:30 pm". */
export function clockOf(instant: number, zone: string): string {
  return clockWords(localText(instant, zone).slice(11, 16))
}

/**
 * An instant as seen from another: the bare time on the same day, else with weekday, and with the date beyond
 * six days.
 */
export function whenWords(instant: number, from: number, zone: string): string {
  return withDay(clockOf(instant, zone), instant, from, zone)
}

function withDay(time: string, instant: number, from: number, zone: string): string {
  const days = Math.abs(dayAt(instant, zone) - dayAt(from, zone))
  if (days === 0) return time
  return `${days <= 6 ? format(instant, zone, { weekday: 'long' }) : dateWords(instant, zone)} ${time}`
}

/**
 * An instant to the second as seen from another, with its day where that is another one: "21:30:05", "Friday
 * 21:30:05".
 */
export function secondWords(instant: number, from: number, zone: string): string {
  return withDay(clockWords(localText(instant, zone).slice(11, 19)), instant, from, zone)
}

/** "Fri 27 Nov". */
export function dateWords(instant: number, zone: string): string {
  return format(instant, zone, { weekday: 'short', day: 'numeric', month: 'short' }).replace(',', '')
}

/** A day and a time of it, of an instant as its text (ISO 8601): "28 November 2026, 21:00". */
export function instantWords(text: string, zone: string): string {
  const instant = readInstant(text)!
  return `${dateWords(instant, zone)}, ${clockOf(instant, zone)}`
}

/** The day of an instant as seen from another: "Fri 27 Nov", beyond ten months "11 Jul 2025". */
export function dayWords(instant: number, from: number, zone: string): string {
  return Math.abs(instant - from) < 300 * DAY
    ? dateWords(instant, zone)
    : format(instant, zone, { day: 'numeric', month: 'short', year: 'numeric' })
}

/** "Friday", the weekday in full. */
export function weekdayWords(instant: number, zone: string): string {
  return format(instant, zone, { weekday: 'long' })
}

/**
 * A time axis of one day of the zone: its bounds (seconds; 23 to 25 hours apart) and a tick every three hours
 * of the wall clock.
 */
export function dayAxis(day: number, zone: string): Axis {
  return timeAxis(startOfDay(day, zone), startOfDay(day + 1, zone), zone)
}

/** The bounds of a stretch of time (seconds) and the ticks on it. */
export interface Axis {
  readonly from: number
  readonly until: number
  readonly ticks: readonly { readonly at: number; readonly label: string }[]
}

/**
 * From how many hours of range on ticks are so many hours of the wall clock apart; beyond them they are days.
 */
const STEPS = [
  [3, 0.25],
  [7, 0.5],
  [14, 1],
  [34, 3],
  [60, 6],
] as const

/**
 * A time axis of any range `[from, until)` (seconds): ticks at full steps of the wall clock, at most about a
 * dozen; where it repeats an hour, the first of both.
 */
export function timeAxis(from: number, until: number, zone: string): Axis {
  const hours = (until - from) / HOUR
  const step = STEPS.find(([most]) => hours <= most)?.[1] ?? 24
  const [first, last] = [dayAt(from, zone), dayAt(until - 1, zone)]
  // Beyond a fortnight every second day, and so on.
  const days = Math.max(1, Math.ceil((last - first) / 14))
  const ticks = Array.from(
    { length: Math.floor((last - first) / days) + 1 },
    (_, index) => first + index * days,
  ).flatMap((day) =>
    Array.from({ length: 24 / step }, (_, index) => index * step).map((hour) => {
      const clock = `${String(Math.floor(hour)).padStart(2, '0')}:${String((hour % 1) * 60).padStart(2, '0')}`
      const at = readLocal(`${dateText(day)}T${clock}`, zone)!
      // With twelve hours, the full hour needs no minutes; with twenty-four, "21" stands for
      // it.
      const short = step >= 1 ? clockWords(clock).replace(/^(\d\d):00$/, '$1') : clockWords(clock)
      return {
        at,
        label:
          step === 24 || (hour === 0 && last > first)
            ? format(at, zone, { weekday: 'short', day: 'numeric' })
            : short,
      }
    }),
  )
  const whole = step === 3 && first === last && startOfDay(last + 1, zone) === until
  return {
    from,
    until,
    ticks: [
      ...ticks.filter(({ at }) => from <= at && at < until),
      ...(whole ? [{ at: until, label: clockWords('24:00').replace(':00', '') }] : []),
    ],
  }
}

// To make one costs much more than to use it, and there are few.
const formats = new Map<string, Intl.DateTimeFormat>()
function format(instant: number, zone: string, options: Intl.DateTimeFormatOptions): string {
  const key = JSON.stringify([zone, options])
  const format =
    formats.get(key) ??
    formats.set(key, new Intl.DateTimeFormat('en-GB', { timeZone: zone, ...options })).get(key)!
  return format.format(instant * 1000)
}
