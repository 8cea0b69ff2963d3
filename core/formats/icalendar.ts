import ICAL from 'ical.js'
import { tzlib_get_ical_block as timeZoneBlock } from 'timezones-ical-library'
import type { Exception, Schedule } from '../policy/types.ts'
import { dateText, readDate, weekdayOf } from '../time/instant.ts'
import { hoursOf, windowsOn } from '../time/schedule.ts'
import { DAY_NAMES, type Span } from '../time/week.ts'

const MINUTE_DAY = 1440

/**
 * Writes a schedule as a calendar (RFC 5545) with its time zone's data: every window as a weekly event that begins on or after the day `from`, an exception
 * as the dates left out of them, its own windows as single events. `stamp` is the instant of writing, in seconds.
 */
export function scheduleCalendar(schedule: Schedule, zone: string, from: number, stamp: number): string {
  const calendar = new ICAL.Component('vcalendar')
  calendar.updatePropertyWithValue('version', '2.0')
  calendar.updatePropertyWithValue('prodid', '-//Kairostat//Schedule//EN')
  const [block] = timeZoneBlock(zone)
  const data = block ? ICAL.Component.fromString(`BEGIN:VCALENDAR\r\n${block}\r\nEND:VCALENDAR`).getFirstSubcomponent('vtimezone') : null
  if (!data) throw new Error(`There is no calendar data for the time zone ${zone}.`)
  calendar.addSubcomponent(data)

  const hours = hoursOf(schedule)
  const event = (day: number, { start, end }: Span, suffix: string) => {
    const made = new ICAL.Component('vevent')
    made.updatePropertyWithValue('uid', `${schedule.id}-${suffix}@kairostat.invalid`)
    made.updatePropertyWithValue('dtstamp', ICAL.Time.fromJSDate(new Date(stamp * 1000), true))
    made.updatePropertyWithValue('summary', schedule.name)
    addTime(made, 'dtstart', day, start, zone)
    addTime(made, 'dtend', day, end, zone)
    calendar.addSubcomponent(made)
    return made
  }
  const excepted = exceptionDays(schedule.exceptions, from)
  for (const [key, days] of weekdaysBySpan(hours.week)) {
    const [start, end] = key.split('-').map(Number) as [number, number]
    const first = Array.from({ length: 7 }, (_, index) => from + index).find(day => days.includes(weekdayOf(day)))!
    const weekly = event(first, { start, end }, `weekly-${key}`)
    weekly.updatePropertyWithValue('rrule', ICAL.Recur.fromData({ freq: 'WEEKLY', byday: days.map(day => DAY_NAMES[day]!.toUpperCase()) }))
    for (const day of excepted) if (day >= first && days.includes(weekdayOf(day))) addTime(weekly, 'exdate', day, start, zone)
  }
  for (const day of excepted) windowsOn(hours, day).forEach((span, index) => event(day, span, `${dateText(day)}-${index}`))
  return `${calendar.toString()}\r\n`
}

/** One entry of a calendar file, and what it can become here. */
export interface CalendarEntry {
  readonly name: string
  /** `exception`: dates, taken as free of the weekly hours. `window`: weekly hours on these days. `none`: no counterpart, for the `reason`. */
  readonly becomes: 'exception' | 'window' | 'none'
  readonly exception: Exception | null
  readonly days: readonly number[]
  readonly span: Span | null
  readonly reason: string
}

/** Reads a calendar file: whole days become exceptions, weekly events windows by their wall clock, and the rest is named with why it has no counterpart. Throws Error where the text is no calendar. */
export function readCalendar(text: string): CalendarEntry[] {
  try {
    return ICAL.Component.fromString(text).getAllSubcomponents('vevent').map(component => entryOf(new ICAL.Event(component)))
  } catch (error) {
    throw new Error(`This is no iCalendar file: ${error instanceof Error ? error.message : String(error)}`, { cause: error })
  }
}

function entryOf(event: ICAL.Event): CalendarEntry {
  const { startDate: start, endDate: end } = event
  const name = event.summary || 'without a name'
  const none = (reason: string): CalendarEntry => ({ name, becomes: 'none', exception: null, days: [], span: null, reason })
  if (!start) return none('it has no beginning')
  const rule = event.component.getFirstPropertyValue('rrule') as ICAL.Recur | null
  const first = readDate(start.toString().slice(0, 10))!
  if (start.isDate) {
    if (rule) return none('it is a whole day that comes again: enter its dates one by one')
    // The end of a whole-day event is not included (RFC 5545, section 3.6.1).
    const last = end ? Math.max(first, readDate(end.toString().slice(0, 10))! - 1) : first
    return { name, becomes: 'exception', exception: { from: dateText(first), until: dateText(last), hours: 'off' }, days: [], span: null, reason: '' }
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
  const days = named.length === 0 ? [weekdayOf(first)] : named.map(day => DAY_NAMES.findIndex(known => known.toUpperCase() === day))
  if (days.includes(-1)) return none('it comes on a certain week of the month')
  return { name, becomes: 'window', exception: null, days, span: { start: begin, end: begin + length }, reason: '' }
}

function addTime(component: ICAL.Component, name: string, day: number, minutes: number, zone: string): void {
  const [year, month, date] = dateText(day + Math.floor(minutes / MINUTE_DAY)).split('-').map(Number) as [number, number, number]
  const property = new ICAL.Property(name, component)
  property.setParameter('tzid', zone)
  property.setValue(ICAL.Time.fromData({ year, month, day: date, hour: Math.floor(minutes / 60) % 24, minute: minutes % 60, second: 0, isDate: false }))
  component.addProperty(property)
}

/** The weekdays on which each window starts, by its "start-end" in minutes. */
function weekdaysBySpan(week: readonly (readonly Span[])[]): Map<string, number[]> {
  const found = new Map<string, number[]>()
  week.forEach((spans, day) => spans.forEach(({ start, end }) => found.set(`${start}-${end}`, [...found.get(`${start}-${end}`) ?? [], day])))
  return found
}

function exceptionDays(exceptions: readonly Exception[], from: number): number[] {
  const days = exceptions.flatMap(exception => Array.from({ length: readDate(exception.until)! - readDate(exception.from)! + 1 }, (_, index) => readDate(exception.from)! + index))
  return [...new Set(days)].filter(day => day >= from).sort((a, b) => a - b)
}
