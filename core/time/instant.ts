import { Temporal } from 'temporal-polyfill'
import { offsetAt } from './zone.ts'
import { DAY } from './duration.ts'

const INSTANT = /^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d)?(Z|[+-]\d\d:\d\d)$/i
const LOCAL = /^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d)?$/i

/** The years that anything here may lie in, both included: time-zone data say nothing beyond them. */
export const [FIRST_YEAR, LAST_YEAR] = [1970, 2199]
const isInReach = (text: string) =>
  Number(text.slice(0, 4)) >= FIRST_YEAR && Number(text.slice(0, 4)) <= LAST_YEAR

/**
 * Reads an instant with `Z` or an offset, whole seconds (RFC 3339, section 5.6); `null` where the text is not
 * one.
 *
 * @example readInstant('2026-11-25T12:00:00Z') // 1795608000
 */
export function readInstant(text: string): number | null {
  if (!INSTANT.test(text) || !isInReach(text)) return null
  return attempt(() => Temporal.Instant.from(text).epochMilliseconds / 1000)
}

/**
 * Turns a local date-time of the zone ("2026-12-05T14:00", seconds allowed) into an instant: in a repeated
 * hour the earlier one,
 * in a skipped hour shifted forward by its length (RFC 5545, section 3.3.5). `null` where the text is not
 * one.
 */
export function readLocal(text: string, zone: string): number | null {
  if (!LOCAL.test(text) || !isInReach(text)) return null
  return attempt(
    () =>
      Temporal.PlainDateTime.from(text, { overflow: 'reject' }).toZonedDateTime(zone, {
        disambiguation: 'compatible',
      }).epochMilliseconds / 1000,
  )
}

/**
 * Whether the text is a local date-time in itself, whatever the zone.
 *
 * @example isLocal('2026-12-05T14:00') // true
 */
export function isLocal(text: string): boolean {
  return readLocal(text, 'UTC') !== null
}

/**
 * Reads a moment as the command line takes it: an instant, a local date-time of the zone, or `now` (given in
 * seconds).
 */
export function readMoment(text: string, zone: string, now: number): number | null {
  if (text === 'now') return Math.floor(now)
  return readInstant(text) ?? readLocal(text, zone)
}

/**
 * Writes an instant in UTC without fractions: "2026-11-27T21:30:00Z".
 *
 * @example instantText(1764072000) // '2025-11-25T12:00:00Z'
 */
export function instantText(instant: number): string {
  return new Date(instant * 1000).toISOString().replace('.000Z', 'Z')
}

/**
 * Writes the reading of the wall clock in the zone: "2026-11-27T21:30:00".
 *
 * @example localText(1795608000, 'Europe/Lisbon') // '2026-11-25T12:00:00'
 */
export function localText(instant: number, zone: string): string {
  return instantText(instant + offsetAt(zone, instant)).slice(0, -1)
}

/**
 * Writes the reading of the wall clock in the zone with its offset (ISO 8601), for files that people read.
 *
 * @example offsetText(1795608000, 'Europe/Athens') // '2026-11-25T14:00:00+02:00'
 */
export function offsetText(instant: number, zone: string): string {
  return Temporal.Instant.fromEpochMilliseconds(instant * 1000).toString({
    timeZone: zone,
    smallestUnit: 'second',
  })
}

/**
 * Reads a date ("2026-12-24") as the number of days since 1970-01-01; `null` where there is no such date.
 *
 * @example readDate('1970-01-02') // 1
 */
export function readDate(text: string): number | null {
  if (!/^\d{4}-\d\d-\d\d$/.test(text) || !isInReach(text)) return null
  return attempt(() => Temporal.PlainDate.from(text, { overflow: 'reject' }).since('1970-01-01').days)
}

/**
 * Writes a number of days since 1970-01-01 as a date.
 *
 * @example dateText(1) // '1970-01-02'
 */
export function dateText(day: number): string {
  return instantText(day * DAY).slice(0, 10)
}

/** The day (since 1970-01-01) that the calendar shows in the zone at the instant. */
export function dayAt(instant: number, zone: string): number {
  return Math.floor((instant + offsetAt(zone, instant)) / DAY)
}

/** The instant at which the zone's date begins: its first reading, also where midnight itself is skipped. */
export function startOfDay(day: number, zone: string): number {
  return Temporal.PlainDate.from(dateText(day)).toZonedDateTime(zone).epochMilliseconds / 1000
}

/** Weekday of a day number, 0 = Monday … 6 = Sunday (1970-01-01 was a Thursday). */
export function weekdayOf(day: number): number {
  return (((day + 3) % 7) + 7) % 7
}

function attempt(read: () => number): number | null {
  try {
    return read()
  } catch {
    return null
  }
}
