import { errorText } from '../words/error-text.ts'
import ICAL from 'ical.js'
import type { Exception } from '../policy/types.ts'
import { dateText, readDate, weekdayOf } from '../time/instant.ts'
import { DAY_NAMES, type Span } from '../time/week.ts'

export const MINUTE_DAY = 1440

/** One entry of a calendar file, and what it can become here. */
export interface CalendarEntry {
  readonly name: string
  /**
   * `exception`: dates, taken as free of the weekly hours. `window`: weekly hours on these days. `none`: no
   * counterpart, for the `reason`.
   */
  readonly becomes: 'exception' | 'window' | 'none'
  readonly exception: Exception | null
  readonly days: readonly number[]
  readonly span: Span | null
  readonly reason: string
}

/**
 * Reads a calendar file: whole days become exceptions, weekly events windows by their wall clock, and the
 * rest is named with why it has no counterpart.
 *
 * @throws Error where the text is no calendar
 */
export function readCalendar(text: string): CalendarEntry[] {
  try {
    return ICAL.Component.fromString(text)
      .getAllSubcomponents('vevent')
      .map((component) => entryOf(new ICAL.Event(component)))
  } catch (error) {
    throw new Error(`This is not an iCalendar file: ${errorText(error)}`, { cause: error })
  }
}

function entryOf(event: ICAL.Event): CalendarEntry {
  const { startDate: start, endDate: end } = event
  const name = event.summary || 'without a name'
  const none = (reason: string): CalendarEntry => ({
    name,
    becomes: 'none',
    exception: null,
    days: [],
    span: null,
    reason,
  })
  if (!start) return none('it has no beginning')
  const rule = event.component.getFirstPropertyValue('rrule') as ICAL.Recur | null
  const first = readDate(start.toString().slice(0, 10))!
  if (start.isDate) {
    if (rule) return none('it is a whole day that comes again: enter its dates one by one')
    // The end of a whole-day event is not included (RFC 5545, section 3.6.1).
    const last = end ? Math.max(first, readDate(end.toString().slice(0, 10))! - 1) : first
    return {
      name,
      becomes: 'exception',
      exception: { from: dateText(first), until: dateText(last), hours: 'off', name: event.summary ?? '' },
      days: [],
      span: null,
      reason: '',
    }
  }
  if (!rule) return none('it is a single event with a time: a rule can have it as its one-off time')
  if (rule.freq !== 'WEEKLY') return none(`it comes ${rule.freq.toLowerCase()}, not weekly`)
  if (rule.interval > 1) return none(`it comes every ${rule.interval} weeks, not every week`)
  if (rule.until || rule.count) return none('it comes to an end, which weekly hours do not')
  const begin = start.hour * 60 + start.minute
  const last = end ? readDate(end.toString().slice(0, 10))! : first
  const length = (last - first) * MINUTE_DAY + (end ? end.hour * 60 + end.minute : 0) - begin
  if (length < 1 || length > MINUTE_DAY) return none('it is not between a minute and a day long')
  const named = (rule.parts.BYDAY ?? []) as string[]
  const days =
    named.length === 0
      ? [weekdayOf(first)]
      : named.map((day) => DAY_NAMES.findIndex((known) => known.toUpperCase() === day))
  if (days.includes(-1)) return none('it comes on a certain week of the month')
  return {
    name,
    becomes: 'window',
    exception: null,
    days,
    span: { start: begin, end: begin + length },
    reason: '',
  }
}
