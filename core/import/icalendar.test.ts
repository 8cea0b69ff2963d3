import fc from 'fast-check'
import ICAL from 'ical.js'
import ical from 'node-ical'
import { expect, test } from 'vitest'
import { schedules, ZONES, policyOf } from '../../tests/support/arbitraries.ts'
import { dateText, localText, readDate, readInstant } from '../time/instant.ts'
import { covers } from '../time/ranges.ts'
import { hoursOf, hoursWithin, windowsOn } from '../time/schedule.ts'
import { readCalendar } from './icalendar.ts'
import { scheduleCalendar } from '../export/icalendar.ts'

const STAMP = readInstant('2026-11-23T08:00:00Z')!
const MONDAY = readDate('2026-11-23')!
const schedule = (week: string, exceptions: object[] = []) =>
  policyOf({
    kairostat: 1,
    place: { name: 'B', timeZone: 'UTC' },
    schedules: [{ id: 'nights', name: 'Nights', week, exceptions }],
  }).schedules[0]!

/** The local starts of all events over some weeks, as an independent parser expands them. */
function starts(text: string, days: number): string[] {
  const events = Object.values(ical.parseICS(text)).filter((entry) => entry.type === 'VEVENT')
  const from = new Date(`${dateText(MONDAY - 1)}T00:00Z`)
  return events
    .flatMap((event) => {
      const minutes = (event.end.getTime() - event.start.getTime()) / 60_000
      const zone = (event.start as Date & { tz: string }).tz
      const left = new Set(
        Object.values((event.exdate ?? {}) as Record<string, Date>).map((date) => date.getTime()),
      )
      const all = event.rrule
        ? event.rrule.between(from, new Date(from.getTime() + days * 86_400_000), true)
        : [event.start]
      return all
        .filter((date) => !left.has(date.getTime()))
        .map((date) => `${localText(date.getTime() / 1000, zone).slice(0, 16)} ${minutes}`)
    })
    .filter((text) => text.slice(0, 10) >= dateText(MONDAY))
    .sort()
}

test('an independent parser finds the windows, with exceptions left out and added', () => {
  const nights = schedule('Mo-Fr 21:00-07:00; Sa 10:00-12:00,14:00-18:00', [
    { from: '2026-11-25', until: '2026-11-26', hours: 'off' },
    { from: '2026-11-28', until: '2026-11-28', hours: '22:30-25:00' },
  ])
  const text = scheduleCalendar(nights, 'Europe/Lisbon', MONDAY, STAMP)
  expect([
    text.includes('BEGIN:VTIMEZONE'),
    text.includes('TZID:Europe/Lisbon'),
    /\r\n$/.test(text),
    text.split('\r\n').every((line) => line.length <= 75),
  ]).toEqual([true, true, true, true])
  expect(starts(text, 7)).toEqual([
    '2026-11-23T21:00 600',
    '2026-11-24T21:00 600',
    '2026-11-27T21:00 600',
    '2026-11-28T22:30 150',
  ])
})

test('whatever the hours, the starts are those of the schedule', () => {
  // Kept away from the clock changes, where a calendar's events are shifted and these hours are not.
  fc.assert(
    fc.property(schedules, fc.constantFrom(...ZONES.filter((zone) => zone !== 'UTC')), (hours, zone) => {
      const one = schedule(hours.week, hours.exceptions)
      const expected = Array.from({ length: 7 }, (_, index) => MONDAY + index).flatMap((day) =>
        windowsOn(hoursOf(one), day).map(
          ({ start, end }) =>
            `${dateText(day)}T${String(Math.floor(start / 60)).padStart(2, '0')}:${String(start % 60).padStart(2, '0')} ${end - start}`,
        ),
      )
      const found = starts(scheduleCalendar(one, zone, MONDAY, STAMP), 9).filter(
        (text) => text.slice(0, 10) < dateText(MONDAY + 7),
      )
      expect(found).toEqual(expected.sort())
    }),
    { numRuns: 60 },
  )
})

test('on nights in which clocks change, another program finds the hours that are kept, to the quarter of an hour', () => {
  fc.assert(
    fc.property(
      schedules,
      fc.constantFrom(...ZONES),
      fc.constantFrom('2026-03-28', '2026-04-04', '2026-10-03', '2026-10-24', '2026-10-31', '2026-11-01'),
      (hours, zone, around) => {
        const one = schedule(hours.week, hours.exceptions)
        const day = readDate(around)!
        const calendar = ICAL.Component.fromString(scheduleCalendar(one, zone, day - 7, STAMP))
        ICAL.TimezoneService.reset()
        ICAL.TimezoneService.register(calendar.getFirstSubcomponent('vtimezone')!)
        const [from, until] = [(day - 1) * 86_400, (day + 3) * 86_400]
        const spans = calendar.getAllSubcomponents('vevent').flatMap((component) => {
          const event = new ICAL.Event(component)
          // Every occurrence lasts exactly as long as the first (RFC 5545, section 3.8.5.3).
          const length = event.endDate.toUnixTime() - event.startDate.toUnixTime()
          const begins: number[] = []
          const iterator = event.iterator()
          for (
            let next = iterator.next();
            next && next.toUnixTime() < until && begins.length < 40;
            next = event.isRecurring() ? iterator.next() : null!
          )
            begins.push(next.toUnixTime())
          return begins.map((begin) => ({ from: begin, until: begin + length }))
        })
        const kept = hoursWithin(hoursOf(one), zone, from, until)
        // Windows that began before the file does are not in it.
        for (let at = from; at < until; at += 900)
          expect([at, spans.some((span) => span.from <= at && at < span.until)]).toEqual([
            at,
            covers(kept, at),
          ])
      },
    ),
    { numRuns: 150 },
  )
})

test('read back, the weekly hours are the same', () => {
  fc.assert(
    fc.property(schedules, ({ week }) => {
      const one = schedule(week)
      const found = readCalendar(scheduleCalendar(one, 'Europe/Lisbon', MONDAY, STAMP)).flatMap(
        ({ days, span }) => days.map((day) => `${day} ${span!.start}-${span!.end}`),
      )
      expect(found.sort()).toEqual(
        hoursOf(one)
          .week.flatMap((spans, day) => spans.map(({ start, end }) => `${day} ${start}-${end}`))
          .sort(),
      )
    }),
    { numRuns: 100 },
  )
})

test('entries of other calendars become exceptions or windows, or are named with why not', () => {
  const event = (...lines: string[]) => ['BEGIN:VEVENT', ...lines, 'END:VEVENT'].join('\r\n')
  const text = [
    'BEGIN:VCALENDAR',
    'VERSION:2.0',
    event('SUMMARY:Midwinter', 'DTSTART;VALUE=DATE:20261224', 'DTEND;VALUE=DATE:20261227'),
    event('SUMMARY:One day', 'DTSTART;VALUE=DATE:20270101'),
    event('SUMMARY:Every year', 'DTSTART;VALUE=DATE:20270101', 'RRULE:FREQ=YEARLY'),
    event(
      'SUMMARY:Nights',
      'DTSTART;TZID=Europe/Lisbon:20261123T210000',
      'DTEND;TZID=Europe/Lisbon:20261124T070000',
      'RRULE:FREQ=WEEKLY;BYDAY=MO,TU',
    ),
    event(
      'SUMMARY:Fortnight',
      'DTSTART:20261123T210000',
      'DTEND:20261123T220000',
      'RRULE:FREQ=WEEKLY;INTERVAL=2',
    ),
    event('SUMMARY:Once', 'DTSTART:20261123T210000Z', 'DTEND:20261123T220000Z'),
    event(
      'SUMMARY:First Monday',
      'DTSTART:20261123T210000',
      'DTEND:20261123T220000',
      'RRULE:FREQ=MONTHLY;BYDAY=1MO',
    ),
    event('SUMMARY:Term', 'DTSTART:20261123T210000', 'DTEND:20261123T220000', 'RRULE:FREQ=WEEKLY;COUNT=3'),
    'END:VCALENDAR',
  ].join('\r\n')
  expect(
    readCalendar(text).map(({ name, becomes, exception, days, span, reason }) => [
      name,
      becomes,
      [
        exception && `${exception.from}/${exception.until}`,
        span && `${days.join()} ${span.start}-${span.end}`,
        reason,
      ].find(Boolean),
    ]),
  ).toEqual([
    ['Midwinter', 'exception', '2026-12-24/2026-12-26'],
    ['One day', 'exception', '2027-01-01/2027-01-01'],
    ['Every year', 'none', 'it is a whole day that comes again: enter its dates one by one'],
    ['Nights', 'window', '0,1 1260-1860'],
    ['Fortnight', 'none', 'it comes every 2 weeks, not every week'],
    ['Once', 'none', 'it is a single event with a time: a rule can have it as its one-off time'],
    ['First Monday', 'none', 'it comes monthly, not weekly'],
    ['Term', 'none', 'it comes to an end, which weekly hours do not'],
  ])
})

test('what is no calendar is refused with words, whatever it is', () => {
  expect(() => readCalendar('hello')).toThrow('This is not an iCalendar file')
  fc.assert(
    fc.property(fc.string(), (text) => {
      try {
        readCalendar(text)
      } catch (error) {
        expect((error as Error).message).toContain('not an iCalendar file')
      }
    }),
  )
})
