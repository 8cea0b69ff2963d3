import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { readWeek, weekText, type Week } from '../../core/time/week.ts'
import { weekTexts } from '../../tests/support/arbitraries.ts'
import {
  between,
  copied,
  endedAt,
  inverted,
  lanesOf,
  minutesIn,
  moved,
  startedAt,
  startOf,
  WEEK,
  weekOf,
  windowsOf,
  windowWords,
  type Window,
} from './paint.ts'

const read = (text: string): Week => {
  const result = readWeek(text)
  if ('fault' in result) throw new Error(result.fault.message)
  return result.value
}
const weeks = weekTexts.map(read)
const windows: fc.Arbitrary<Window> = fc
  .tuple(fc.integer({ min: 0, max: 6 }), fc.integer({ min: 0, max: 1439 }), fc.integer({ min: 1, max: 1440 }))
  .map(([day, start, length]) => ({ day, start, end: start + length }))
const minutes = fc.integer({ min: 0, max: WEEK - 1 })
/** The minutes of the week that are inside. */
const inside = (week: Week) => {
  const all = Array<boolean>(WEEK).fill(false)
  for (const window of windowsOf(week))
    for (let minute = 0; minute < window.end - window.start; minute++)
      all[(startOf(window) + minute) % WEEK] = true
  return all
}
const isWindow = ({ day, start, end }: Window) =>
  day >= 0 && day < 7 && start >= 0 && start < 1440 && end > start && end - start <= 1440

test('a week goes through its windows unchanged', () => {
  fc.assert(
    fc.property(weeks, (week) => {
      expect(weekOf(windowsOf(week))).toEqual(week)
    }),
  )
})

describe('what one does to a window gives a window', () => {
  test('drawn between two minutes, either way and round the week', () => {
    expect(
      [
        between(21 * 60, 31 * 60, 15),
        between(31 * 60, 21 * 60, 15),
        between(WEEK - 60, 7 * 60, 15),
        between(600, 600, 15),
        between(0, 3000, 15),
      ].map(windowWords),
    ).toEqual([
      'Mo 21:00 to Tu 07:00',
      'Mo 21:00 to Tu 07:00',
      'Su 23:00 to Mo 07:00',
      'Mo 10:00 to 10:15',
      'Mo 00:00 to 24:00',
    ])
    fc.assert(
      fc.property(minutes, minutes, (a, b) => {
        expect(isWindow(between(a, b, 15))).toBe(true)
      }),
    )
  })

  test('moved there and back it is where it was; stretched, its other end stays', () => {
    fc.assert(
      fc.property(windows, minutes, (window, minute) => {
        expect(moved(moved(window, minute), -minute)).toEqual(window)
        const [later, earlier] = [endedAt(window, minute, 15), startedAt(window, minute, 15)]
        expect([isWindow(later), isWindow(earlier), startOf(later)]).toEqual([true, true, startOf(window)])
        const end = ({ start, end, day }: Window) => (day * 1440 + start + (end - start)) % WEEK
        expect(end(earlier)).toBe(end(window))
      }),
    )
    expect(
      [
        endedAt({ day: 6, start: 1260, end: 1300 }, 420, 15),
        startedAt({ day: 0, start: 60, end: 420 }, WEEK - 180, 15),
      ].map(windowWords),
    ).toEqual(['Su 21:00 to Mo 07:00', 'Su 21:00 to Mo 07:00'])
  })

  test('it shows in one lane, or in two over midnight', () => {
    expect([lanesOf({ day: 6, start: 1260, end: 1860 }), lanesOf({ day: 0, start: 0, end: 1440 })]).toEqual([
      [
        [6, 1260, 1440],
        [0, 0, 420],
      ],
      [[0, 0, 1440]],
    ])
  })
})

describe('inverting', () => {
  test.each([
    ['Mo-Su 21:00-07:00', 'Mo-Su 07:00-21:00'],
    ['Mo-Fr 07:00-21:00', 'Mo-Th 00:00-07:00,21:00-24:00; Fr 00:00-07:00,21:00-24:00; Sa,Su 00:00-24:00'],
    ['off', '24/7'],
    ['24/7', 'off'],
    ['Sa 10:00-12:00', ''],
  ])('%s', (text, expected) => {
    const result = inverted(read(text))
    if (expected) expect(inside(result)).toEqual(inside(read(expected)))
    expect(inside(result)).toEqual(inside(read(text)).map((is) => !is))
  })

  test('covers every minute that the week does not, and twice gives the same minutes', () => {
    fc.assert(
      fc.property(weeks, (week) => {
        const other = inverted(week)
        expect(inside(other)).toEqual(inside(week).map((is) => !is))
        expect(inside(inverted(other))).toEqual(inside(week))
        expect(read(weekText(other))).toEqual(other)
      }),
      { numRuns: 60 },
    )
  })
})

test('the minutes of a week count once', () => {
  fc.assert(
    fc.property(weeks, (week) => {
      expect(minutesIn(week)).toBe(inside(week).filter(Boolean).length)
    }),
    { numRuns: 60 },
  )
})

test('a day is copied to others', () => {
  expect(weekText(copied(read('Mo 09:00-12:00; Sa 10:00-11:00'), 0, [1, 2, 5]))).toBe('Mo-We,Sa 09:00-12:00')
})
