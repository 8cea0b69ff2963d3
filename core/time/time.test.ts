import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { instants, schedules, weekTexts, ZONES } from '../../tests/support/arbitraries.ts'
import { insideSchedule, wallClock } from '../../tests/support/oracle.ts'
import {
  dayAt,
  instantText,
  localText,
  readDate,
  readInstant,
  readLocal,
  dateText,
  weekdayOf,
} from './instant.ts'
import { clip, complement, covers, secondsIn, unite } from './ranges.ts'
import { hoursOf, hoursWithin } from './schedule.ts'
import { readSpoken } from './spoken.ts'
import { readDuration } from './duration.ts'
import { readTypedWeek } from './spoken-week.ts'
import { clockChanges, edgesAtChanges } from './clock-change.ts'
import { clockText, exceptionHoursText, readExceptionHours, readWeek, weekText } from './week.ts'
import { isTimeZone, offsetStretches } from './zone.ts'

const value = <T>(read: { value: T } | { fault: unknown }): T => {
  if ('fault' in read) throw new Error(JSON.stringify(read.fault))
  return read.value
}
const zones = fc.constantFrom(...ZONES)
const seconds = (text: string) => readInstant(text)!

describe('week text', () => {
  test.each([
    ['off', 'off'],
    [' OFF ', 'off'],
    ['24/7', '24/7'],
    ['00:00-24:00', '24/7'],
    ['mo-su 00:00-24:00', '24/7'],
    ['Mo-Su 21:00-07:00; Sa off', 'Su-Fr 21:00-07:00'],
    ['22:00-31:00', 'Mo-Su 22:00-07:00'],
    ['22:00-00:00', 'Mo-Su 22:00-24:00'],
    ['Sa-Mo 10:00-12:00', 'Sa-Mo 10:00-12:00'],
    ['Th-Th 10:00-12:00', 'Th 10:00-12:00'],
    ['mo , we10:00 - 12:00', 'Mo,We 10:00-12:00'],
    ['Mo 09:00-12:00,11:00-14:00', 'Mo 09:00-14:00'],
    ['Mo 09:00-12:00,12:00-14:00', 'Mo 09:00-14:00'],
    ['Mo 10:00-14:30,13:59-37:59', 'Mo 10:00-34:00,13:59-37:59'],
    ['Mo 07:00-31:00', 'Mo 07:00-31:00'],
    ['Mo 10:00-11:00; Tu 10:00-11:00', 'Mo,Tu 10:00-11:00'],
  ])('%s reads as %s', (text, canonical) => {
    expect(weekText(value(readWeek(text)))).toBe(canonical)
  })

  test.each([
    ['', 0, 0, 'The text ends too early.'],
    ['Mo', 2, 2, 'The text ends too early.'],
    ['Mo 9:00-10:00', 3, 7, '“9:00” is not a time'],
    ['Mo 09:00-25:60', 9, 14, '“25:60” is not a time'],
    ['Mo 09:00-09:00', 3, 14, 'has no length'],
    ['Mo 09:00-34:00', 3, 14, 'longer than 24 hours'],
    ['Mo 09:00-48:01', 9, 14, 'at 48:00 at the latest'],
    ['Mo 24:00-25:00', 3, 8, 'between 00:00 and 23:59'],
    ['Mon 09:00-10:00', 0, 3, '“Mon”'],
    ['Mo 09:00', 8, 8, 'ends too early'],
    ['Mo 09:00-10:00;', 15, 15, 'ends too early'],
    ['24/7; Sa off', 4, 5, 'Nothing may follow 24/7'],
    ['Mo 24/7', 3, 7, 'Expected a time'],
    ['Mo 09:00-10:00 Tu 09:00-10:00', 15, 17, 'Separate parts'],
    ['Mo- 09:00-10:00', 4, 9, 'last day of the range'],
    ['PH off', 0, 2, '“PH”'],
  ])('%s is refused at %i-%i', (text, from, until, words) => {
    const read = readWeek(text)
    expect(read).toMatchObject({ fault: { from, until, message: expect.stringContaining(words) as unknown } })
  })

  test('printing is canonical: what is printed reads as the same week and prints the same', () => {
    fc.assert(
      fc.property(weekTexts, (text) => {
        const week = value(readWeek(text))
        const printed = weekText(week)
        expect(value(readWeek(printed))).toEqual(week)
        expect(weekText(value(readWeek(printed)))).toBe(printed)
      }),
      { numRuns: 1000 },
    )
  })

  test('any text is read or refused with a place inside it, never thrown', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc
            .array(fc.constantFrom('Mo', '-', ',', ';', '09:00', '24:00', 'off', ' ', '24/7', '7', 'ü'))
            .map((list) => list.join('')),
        ),
        (text) => {
          for (const read of [readWeek(text), readExceptionHours(text)]) {
            if ('fault' in read)
              expect(
                read.fault.from >= 0 &&
                  read.fault.from <= read.fault.until &&
                  read.fault.until <= text.length,
              ).toBe(true)
          }
        },
      ),
      { numRuns: 1000 },
    )
  })

  test('the hours of an exception have no days', () => {
    expect(
      ['off', '24/7', '10:00-12:00,11:00-13:00'].map((text) =>
        exceptionHoursText(value(readExceptionHours(text))),
      ),
    ).toEqual(['off', '24/7', '10:00-13:00'])
    expect(readExceptionHours('Mo 10:00-12:00')).toHaveProperty('fault')
  })
})

describe('hours', () => {
  test('lie where the wall clock reads a time inside a window, minute by minute', () => {
    fc.assert(
      fc.property(schedules, zones, instants, (texts, zone, start) => {
        const from = Math.floor(start / 60) * 60
        const ranges = hoursWithin(hoursOf(texts), zone, from, from + 36 * 3600)
        for (let at = from; at < from + 36 * 3600; at += 60) {
          if (covers(ranges, at) !== insideSchedule(texts, zone, at))
            throw new Error(`differs at ${instantText(at)}, ${localText(at, zone)} in ${zone}`)
        }
      }),
      { numRuns: 120 },
    )
  })

  const lisbon = (week: string, from: string, until: string) =>
    hoursWithin(hoursOf({ week, exceptions: [] }), 'Europe/Lisbon', seconds(from), seconds(until)).map(
      (range) => `${instantText(range.from)}/${instantText(range.until)}`,
    )

  test('a skipped hour never comes, a repeated one comes twice', () => {
    expect(lisbon('Su 00:30-02:15', '2026-03-29T00:00:00Z', '2026-03-29T12:00:00Z')).toEqual([
      '2026-03-29T00:30:00Z/2026-03-29T01:15:00Z',
    ])
    expect(lisbon('Su 01:15-01:45', '2026-03-29T00:00:00Z', '2026-03-29T12:00:00Z')).toEqual([])
    expect(lisbon('Su 01:15-01:45', '2026-10-25T00:00:00Z', '2026-10-25T12:00:00Z')).toEqual([
      '2026-10-25T00:15:00Z/2026-10-25T00:45:00Z',
      '2026-10-25T01:15:00Z/2026-10-25T01:45:00Z',
    ])
  })

  test('cutting the range anywhere changes nothing', () => {
    fc.assert(
      fc.property(
        schedules,
        zones,
        instants,
        fc.integer({ min: 1, max: 200_000 }),
        fc.integer({ min: 1, max: 200_000 }),
        (texts, zone, from, first, second) => {
          const hours = hoursOf(texts)
          const [middle, until] = [from + first, from + first + second]
          expect(
            unite([...hoursWithin(hours, zone, from, middle), ...hoursWithin(hours, zone, middle, until)]),
          ).toEqual(hoursWithin(hours, zone, from, until))
        },
      ),
      { numRuns: 300 },
    )
  })
})

describe('clock changes', () => {
  test('are those of the zone, with the readings that are skipped or repeated', () => {
    const shown = (zone: string) =>
      clockChanges(zone, seconds('2026-01-01T00:00:00Z'), seconds('2027-01-01T00:00:00Z')).map(
        ({ at, kind, from, until }) =>
          `${instantText(at)} ${kind} ${instantText(from).slice(11, 16)}-${instantText(until).slice(11, 16)}`,
      )
    expect([shown('Europe/Lisbon'), shown('Australia/Lord_Howe'), shown('Asia/Kathmandu')]).toEqual([
      ['2026-03-29T01:00:00Z skipped 01:00-02:00', '2026-10-25T01:00:00Z repeated 01:00-02:00'],
      ['2026-04-04T15:00:00Z repeated 01:30-02:00', '2026-10-03T15:30:00Z skipped 02:00-02:30'],
      [],
    ])
  })

  test.each([
    ['Su 00:30-01:30', ['2026-03-29 01:30', '2026-10-25 01:30']],
    ['Sa 22:00-25:15', ['2026-03-29 01:15', '2026-10-25 01:15']],
    ['Su 01:00-02:00', []],
    ['Mo 01:15-01:30', []],
    ['off', []],
  ])('%s has edges in them', (week, edges) => {
    const found = edgesAtChanges(
      hoursOf({ week, exceptions: [] }),
      'Europe/Lisbon',
      seconds('2026-01-01T00:00:00Z'),
      seconds('2027-01-01T00:00:00Z'),
    )
    expect(
      found.map(({ change, edge }) => `${instantText(change.at).slice(0, 10)} ${clockText(edge)}`),
    ).toEqual(edges)
  })
})

describe('ranges', () => {
  const ranges = fc.array(
    fc
      .tuple(fc.integer({ min: 0, max: 60 }), fc.integer({ min: -3, max: 20 }))
      .map(([from, length]) => ({ from, until: from + length })),
    { maxLength: 8 },
  )
  const member = (list: readonly { from: number; until: number }[]) =>
    Array.from({ length: 100 }, (_, at) => list.some((range) => range.from <= at && at < range.until))

  test('union, complement and clip agree with sets of instants', () => {
    fc.assert(
      fc.property(
        ranges,
        fc.integer({ min: 0, max: 50 }),
        fc.integer({ min: 1, max: 40 }),
        (list, from, length) => {
          const united = unite(list)
          const inside = (at: number) => from <= at && at < from + length
          expect(member(united)).toEqual(member(list))
          united.slice(1).forEach((range, index) => expect(range.from).toBeGreaterThan(united[index]!.until))
          expect(member(complement(united, from, from + length))).toEqual(
            member(list).map((is, at) => inside(at) && !is),
          )
          expect(member(clip(united, from, from + length))).toEqual(
            member(list).map((is, at) => inside(at) && is),
          )
          expect(secondsIn(united)).toBe(member(list).filter(Boolean).length)
        },
      ),
      { numRuns: 500 },
    )
  })
})

describe('instants and zones', () => {
  test('the wall clock agrees with Intl', () => {
    fc.assert(
      fc.property(instants, zones, (at, zone) => {
        const local = localText(at, zone)
        expect({
          date: local.slice(0, 10),
          minute: Number(local.slice(11, 13)) * 60 + Number(local.slice(14, 16)),
        }).toEqual(wallClock(at, zone))
        expect(dateText(dayAt(at, zone))).toBe(local.slice(0, 10))
      }),
      { numRuns: 1000 },
    )
  })

  test('stretches of constant offset tile the time that was asked for', () => {
    for (const zone of ZONES) {
      const [from, until] = [seconds('2020-01-01T00:00:00Z'), seconds('2030-01-01T00:00:00Z')]
      const stretches = offsetStretches(zone, from, until)
      expect(stretches[0]!.from <= from && stretches.at(-1)!.until >= until).toBe(true)
      stretches
        .slice(1)
        .forEach((stretch, index) =>
          expect([stretch.from, stretch.offset === stretches[index]!.offset]).toEqual([
            stretches[index]!.until,
            false,
          ]),
        )
    }
  })

  test.each([
    ['2026-10-25T01:30', 'Europe/Lisbon', '2026-10-25T00:30:00Z'],
    ['2026-03-29T01:30', 'Europe/Lisbon', '2026-03-29T01:30:00Z'],
    ['2026-10-04T02:15', 'Australia/Lord_Howe', '2026-10-03T15:45:00Z'],
    ['2026-06-01T12:00:30', 'Asia/Kathmandu', '2026-06-01T06:15:30Z'],
  ])('%s in %s is %s', (local, zone, instant) => {
    expect(instantText(readLocal(local, zone)!)).toBe(instant)
  })

  test('what is no date, instant or zone is refused', () => {
    expect(['2026-02-30', '2026-2-3', '26-02-03', ''].map(readDate)).toEqual([null, null, null, null])
    expect(
      ['2026-11-27T21:30', '2026-11-27T25:00:00Z', '2026-11-27T21:30:00.5Z', 'now'].map(readInstant),
    ).toEqual([null, null, null, null])
    expect(['2026-11-27T21:30Z', '2026-02-30T10:00', '10:00'].map((text) => readLocal(text, 'UTC'))).toEqual([
      null,
      null,
      null,
    ])
    expect(['Europe/Lisbon', 'Mars/Olympus', '+01:00', ''].map(isTimeZone)).toEqual([
      true,
      false,
      false,
      false,
    ])
    expect(instantText(seconds('2026-11-27T21:30:00+05:45'))).toBe('2026-11-27T15:45:00Z')
    expect(weekdayOf(readDate('2026-11-23')!)).toBe(0)
  })
})

describe('moments as one says them', () => {
  const now = seconds('2026-11-23T15:12:00Z')

  test.each([
    ['now', '2026-11-23T15:12'],
    ['fri 21:30', '2026-11-27T21:30'],
    ['Friday 9pm', '2026-11-27T21:00'],
    ['monday 7', '2026-11-23T07:00'],
    ['tomorrow 7am', '2026-11-24T07:00'],
    ['yesterday 9.30 pm', '2026-11-22T21:30'],
    ['on friday at 21:30', '2026-11-27T21:30'],
    ['24 dec 18:00', '2026-12-24T18:00'],
    ['24. December 2027', '2027-12-24T12:00'],
    ['2026-12-24', '2026-12-24T12:00'],
    ['21:30', '2026-11-23T21:30'],
    ['12am', '2026-11-23T00:00'],
    ['2026-12-24T18:00', '2026-12-24T18:00'],
    ['2026-12-24T18:00:00Z', '2026-12-24T18:00'],
    ['today 12 pm', '2026-11-23T12:00'],
    ['in 2 h', '2026-11-23T17:12'],
    ['in 1 h 30 min', '2026-11-23T16:42'],
    ['25.12. 20:00', '2026-12-25T20:00'],
    ['1.2.2027', '2027-02-01T12:00'],
    ['tonight', '2026-11-23T20:00'],
    ['tonight 10', '2026-11-23T22:00'],
    ['last tuesday 10', '2026-11-17T10:00'],
    ['last monday', '2026-11-16T12:00'],
    ['next monday 8am', '2026-11-30T08:00'],
    ['next fri', '2026-11-27T12:00'],
  ])('%s', (text, local) => {
    const at = readSpoken(text, 'Europe/Lisbon', now)
    expect(at && localText(at, 'Europe/Lisbon').slice(0, 16)).toBe(local)
  })

  test.each([
    '',
    'soon',
    'fri 25:00',
    '31 feb 10:00',
    '13pm',
    'frog 10:00',
    '7',
    'in a while',
    '31.2. 10:00',
  ])('“%s” is refused', (text) => {
    expect(readSpoken(text, 'Europe/Lisbon', now)).toBeNull()
  })

  test.each([
    ['30 min', 30],
    ['30m', 30],
    ['2h', 120],
    ['1 h 30 min', 90],
    ['1h30m', 90],
    ['1.5 hours', 90],
    ['1,5 h', 90],
    ['2 days', 2880],
    ['', null],
    ['0 min', null],
    ['30', null],
    ['min', null],
    ['30 minx', null],
    ['30 min soon', null],
  ])('the length “%s” is %s minutes', (text, minutes) => {
    expect(readDuration(text)).toBe(minutes === null ? null : minutes * 60)
  })
})

describe('weeks as one types them', () => {
  test.each([
    ['every day 9pm-7am', 'Mo-Su 21:00-07:00'],
    ['weekdays 16-18', 'Mo-Fr 16:00-18:00'],
    ['Sun-Thu 21:00-07:00', 'Su-Th 21:00-07:00'],
    ['weekends', 'Sa,Su 00:00-24:00'],
    ['Mo-Su 21:00-7:00', 'Mo-Su 21:00-07:00'],
    ['weekdays 4-6pm', 'Mo-Fr 16:00-18:00'],
    ['9pm to 7am', 'Mo-Su 21:00-07:00'],
    ['mon, wed and fri 8:30-12 and 14-18', 'Mo,We,Fr 08:30-12:00,14:00-18:00'],
    ['school nights 21-7; fri and sat 11pm to 8.30 am', 'Su-Th 21:00-07:00; Fr,Sa 23:00-08:30'],
    ['Mondays from 9 to 17', 'Mo 09:00-17:00'],
    ['saturday all day', 'Sa 00:00-24:00'],
    ['fridays noon until midnight', 'Fr 12:00-24:00'],
    ['thursday 11am-1pm', 'Th 11:00-13:00'],
    ['24/7', 'Mo-Su 00:00-24:00'],
  ])('“%s” is %s', (text, canonical) => {
    expect(readTypedWeek(text)).toEqual(readWeek(canonical))
  })

  test.each([
    '',
    'sometimes',
    'weekdays 25-26',
    'Mo-Su 21:00-',
    'blursday 9-5',
    'mon 9-9',
    '9-5 or so',
    'a'.repeat(5000),
  ])('“%s” has a fault', (text) => {
    expect('fault' in readTypedWeek(text)).toBe(true)
  })
})
