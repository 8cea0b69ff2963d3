import ICAL from 'ical.js'
import { tzlib_get_ical_block as timeZoneBlock } from 'timezones-ical-library'
import type { Exception, Schedule } from '../policy/types.ts'
import { dateText, readDate, weekdayOf } from '../time/instant.ts'
import { DAY } from '../time/duration.ts'
import { secondsIn, type Range, type Ranges } from '../time/ranges.ts'
import { hoursOf, hoursWithin, windowsOn } from '../time/schedule.ts'
import { DAY_NAMES, type Span } from '../time/week.ts'
import { offsetStretches } from '../time/zone.ts'
import { MINUTE_DAY } from '../import/icalendar.ts'

/**
 * Writes a schedule as a calendar (RFC 5545) with its time zone's data: every window as a weekly event that
 * begins on or after the day `from`, an exception
 * as the dates left out of them, its own windows as single events. A calendar's event lasts as long as its
 * first (section 3.8.5.3), and these windows go by the clock on the
 * wall: on a night in which clocks change, what is really meant is written as events of its own, in UTC.
 * `stamp` is the instant of writing, in seconds.
 */
export function scheduleCalendar(schedule: Schedule, zone: string, from: number, stamp: number): string {
  const calendar = new ICAL.Component('vcalendar')
  calendar.updatePropertyWithValue('version', '2.0')
  calendar.updatePropertyWithValue('prodid', '-//Kairostat//Schedule//EN')
  const [block] = timeZoneBlock(zone)
  const data = block
    ? ICAL.Component.fromString(`BEGIN:VCALENDAR\r\n${block}\r\nEND:VCALENDAR`).getFirstSubcomponent(
        'vtimezone',
      )
    : null
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
  /**
   * A window of a day on which clocks change, where that makes it other than a calendar would have it: what
   * it really is, in seconds.
   */
  const changes = clockChanges(zone, from)
  const realRanges = (day: number, span: Span): Ranges | null => {
    const midnight = day * DAY
    if (!changes.some((at) => at > midnight - DAY && at < midnight + 3 * DAY)) return null
    const week = Array<readonly Span[]>(7).fill([])
    const ranges = hoursWithin(
      { week, exceptions: [{ from: day, until: day, spans: [span] }] },
      zone,
      midnight - 2 * DAY,
      midnight + 4 * DAY,
    )
    return ranges.length === 1 && secondsIn(ranges) === (span.end - span.start) * 60 ? null : ranges
  }
  const exact = ({ from: begins, until }: Range, suffix: string) => {
    const made = new ICAL.Component('vevent')
    made.updatePropertyWithValue('uid', `${schedule.id}-${suffix}@kairostat.invalid`)
    made.updatePropertyWithValue('dtstamp', ICAL.Time.fromJSDate(new Date(stamp * 1000), true))
    made.updatePropertyWithValue('summary', schedule.name)
    made.updatePropertyWithValue('dtstart', ICAL.Time.fromJSDate(new Date(begins * 1000), true))
    made.updatePropertyWithValue('dtend', ICAL.Time.fromJSDate(new Date(until * 1000), true))
    calendar.addSubcomponent(made)
  }
  const excepted = exceptionDays(schedule.exceptions, from)
  for (const [key, days] of weekdaysBySpan(hours.week)) {
    const [start, end] = key.split('-').map(Number) as [number, number]
    // How long the first one lasts, all do: it is none of a night in which clocks change.
    const first = Array.from({ length: 28 }, (_, index) => from + index).find(
      (day) => days.includes(weekdayOf(day)) && !realRanges(day, { start, end }),
    )!
    const weekly = event(first, { start, end }, `weekly-${key}`)
    weekly.updatePropertyWithValue(
      'rrule',
      ICAL.Recur.fromData({ freq: 'WEEKLY', byday: days.map((day) => DAY_NAMES[day]!.toUpperCase()) }),
    )
    for (const day of excepted)
      if (day >= first && days.includes(weekdayOf(day))) addTime(weekly, 'exdate', day, start, zone)
    for (const day of new Set(
      changes.flatMap((at) => [-2, -1, 0, 1].map((near) => Math.floor(at / DAY) + near)),
    )) {
      const real =
        day >= from && days.includes(weekdayOf(day)) && !excepted.includes(day)
          ? realRanges(day, { start, end })
          : null
      if (!real) continue
      if (day >= first) addTime(weekly, 'exdate', day, start, zone)
      real.forEach((range, index) => exact(range, `clock-${key}-${dateText(day)}-${index}`))
    }
  }
  for (const day of excepted)
    windowsOn(hours, day).forEach((span, index) => {
      const real = realRanges(day, span)
      if (real) real.forEach((range, part) => exact(range, `${dateText(day)}-${index}-${part}`))
      else event(day, span, `${dateText(day)}-${index}`)
    })
  return `${calendar.toString()}\r\n`
}

/** The instants (seconds) at which clocks change in a zone from a day on. */
function clockChanges(zone: string, from: number): number[] {
  const stretches = offsetStretches(zone, from * DAY - 2 * DAY, (from + AHEAD) * DAY)
  return stretches.slice(1).map((stretch) => stretch.from)
}

function addTime(component: ICAL.Component, name: string, day: number, minutes: number, zone: string): void {
  const [year, month, date] = dateText(day + Math.floor(minutes / MINUTE_DAY))
    .split('-')
    .map(Number) as [number, number, number]
  const property = new ICAL.Property(name, component)
  property.setParameter('tzid', zone)
  property.setValue(
    ICAL.Time.fromData({
      year,
      month,
      day: date,
      hour: Math.floor(minutes / 60) % 24,
      minute: minutes % 60,
      second: 0,
      isDate: false,
    }),
  )
  component.addProperty(property)
}

/** The weekdays on which each window starts, by its "start-end" in minutes. */
function weekdaysBySpan(week: readonly (readonly Span[])[]): Map<string, number[]> {
  const found = new Map<string, number[]>()
  week.forEach((spans, day) =>
    spans.forEach(({ start, end }) =>
      found.set(`${start}-${end}`, [...(found.get(`${start}-${end}`) ?? []), day]),
    ),
  )
  return found
}

function exceptionDays(exceptions: readonly Exception[], from: number): number[] {
  const days = exceptions.flatMap((exception) => {
    // Calendars look ahead a while: what lies years from now is exported when it is nearer.
    const [first, last] = [
      Math.max(from, readDate(exception.from)!),
      Math.min(from + AHEAD, readDate(exception.until)!),
    ]
    return Array.from({ length: Math.max(0, last - first + 1) }, (_, index) => first + index)
  })
  return [...new Set(days)].sort((a, b) => a - b)
}
/** How far ahead exceptions and clock changes are written, in days. */
const AHEAD = 3 * 366
