import ICAL from 'ical.js'
import { tzlib_get_ical_block as timeZoneBlock } from 'timezones-ical-library'
import type { Exception, Schedule } from '../policy/types.ts'
import { dateText, readDate, weekdayOf } from '../time/instant.ts'
import { DAY, MINUTE } from '../time/duration.ts'
import { secondsIn, type Ranges } from '../time/ranges.ts'
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
  const calendar = new ScheduleCalendar(schedule, zone, from, stamp)
  const hours = hoursOf(schedule)
  const excepted = exceptionDays(schedule.exceptions, from)
  for (const [key, days] of weekdaysBySpan(hours.week)) {
    const [start, end] = key.split('-').map(Number) as [number, number]
    calendar.addWeekly({ start, end }, days, excepted)
  }
  for (const day of excepted)
    windowsOn(hours, day).forEach((span, index) => calendar.addSingle(day, span, `${dateText(day)}-${index}`))
  return calendar.text()
}

/** A calendar that is put together event by event. */
class ScheduleCalendar {
  readonly #calendar = new ICAL.Component('vcalendar')
  /** The instants (seconds) at which clocks change. */
  readonly #changes: readonly number[]

  constructor(
    private readonly schedule: Schedule,
    private readonly zone: string,
    private readonly from: number,
    private readonly stamp: number,
  ) {
    this.#changes = clockChanges(zone, from)
    this.#calendar.updatePropertyWithValue('version', '2.0')
    this.#calendar.updatePropertyWithValue('prodid', '-//Kairostat//Schedule//EN')
    this.#calendar.addSubcomponent(zoneData(zone))
  }

  text(): string {
    return `${this.#calendar.toString()}\r\n`
  }

  /** Adds a window of some weekdays, without the days that are excepted. */
  addWeekly(span: Span, days: readonly number[], excepted: readonly number[]): void {
    const isMeant = (day: number) => days.includes(weekdayOf(day))
    const key = `${span.start}-${span.end}`
    // All events last as long as the first one, which is not in a night in which clocks change.
    const first = Array.from({ length: 28 }, (_, index) => this.from + index).find(
      (day) => isMeant(day) && !this.#realRanges(day, span),
    )!
    const weekly = this.#addEvent(first, span, `weekly-${key}`)
    const byday = days.map((day) => DAY_NAMES[day]!.toUpperCase())
    weekly.updatePropertyWithValue('rrule', ICAL.Recur.fromData({ freq: 'WEEKLY', byday }))
    const leaveOut = (day: number) => {
      if (day >= first) addTime(weekly, 'exdate', day, span.start, this.zone)
    }
    for (const day of excepted.filter(isMeant)) leaveOut(day)
    for (const day of this.#daysNearChanges()) {
      if (day < this.from || !isMeant(day) || excepted.includes(day)) continue
      const real = this.#realRanges(day, span)
      if (!real) continue
      leaveOut(day)
      this.#addRanges(real, `clock-${key}-${dateText(day)}`)
    }
  }

  /** Adds a window of one day. */
  addSingle(day: number, span: Span, suffix: string): void {
    const real = this.#realRanges(day, span)
    if (real) this.#addRanges(real, suffix)
    else this.#addEvent(day, span, suffix)
  }

  /**
   * A window of a day on which clocks change, where that makes it other than a calendar would have it: what
   * it really is, in seconds.
   */
  #realRanges(day: number, span: Span): Ranges | null {
    const midnight = day * DAY
    if (!this.#changes.some((at) => at > midnight - DAY && at < midnight + 3 * DAY)) return null
    const hours = {
      week: Array<readonly Span[]>(7).fill([]),
      exceptions: [{ from: day, until: day, spans: [span] }],
    }
    const ranges = hoursWithin(hours, this.zone, midnight - 2 * DAY, midnight + 4 * DAY)
    const isAsWritten = ranges.length === 1 && secondsIn(ranges) === (span.end - span.start) * MINUTE
    return isAsWritten ? null : ranges
  }

  #daysNearChanges(): ReadonlySet<number> {
    return new Set(this.#changes.flatMap((at) => [-2, -1, 0, 1].map((near) => Math.floor(at / DAY) + near)))
  }

  /** Adds an event by the clock on the wall. */
  #addEvent(day: number, { start, end }: Span, suffix: string): ICAL.Component {
    const event = this.#newEvent(suffix)
    addTime(event, 'dtstart', day, start, this.zone)
    addTime(event, 'dtend', day, end, this.zone)
    return event
  }

  /** Adds events in UTC. */
  #addRanges(ranges: Ranges, suffix: string): void {
    ranges.forEach(({ from, until }, index) => {
      const event = this.#newEvent(`${suffix}-${index}`)
      event.updatePropertyWithValue('dtstart', utc(from))
      event.updatePropertyWithValue('dtend', utc(until))
    })
  }

  #newEvent(suffix: string): ICAL.Component {
    const event = new ICAL.Component('vevent')
    event.updatePropertyWithValue('uid', `${this.schedule.id}-${suffix}@kairostat.invalid`)
    event.updatePropertyWithValue('dtstamp', utc(this.stamp))
    event.updatePropertyWithValue('summary', this.schedule.name)
    this.#calendar.addSubcomponent(event)
    return event
  }
}

const utc = (seconds: number) => ICAL.Time.fromJSDate(new Date(seconds * 1000), true)

/** Returns the component of a time zone (section 3.6.5). */
function zoneData(zone: string): ICAL.Component {
  const [block] = timeZoneBlock(zone)
  const data = block
    ? ICAL.Component.fromString(`BEGIN:VCALENDAR\r\n${block}\r\nEND:VCALENDAR`).getFirstSubcomponent(
        'vtimezone',
      )
    : null
  if (!data) throw new Error(`There is no calendar data for the time zone ${zone}.`)
  return data
}

/** The instants (seconds) at which clocks change in a zone from a day on. */
function clockChanges(zone: string, from: number): number[] {
  const stretches = offsetStretches(zone, from * DAY - 2 * DAY, (from + HORIZON_DAYS) * DAY)
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
      Math.min(from + HORIZON_DAYS, readDate(exception.until)!),
    ]
    return Array.from({ length: Math.max(0, last - first + 1) }, (_, index) => first + index)
  })
  return [...new Set(days)].sort((a, b) => a - b)
}
/** The days ahead for which exceptions and clock changes are written. */
const HORIZON_DAYS = 3 * 366
