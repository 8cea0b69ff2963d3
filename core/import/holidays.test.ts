import { expect, test } from 'vitest'
import { holidayRegions, publicHolidays } from './holidays.ts'

test('countries, their states and regions are named', () => {
  expect(holidayRegions([]).length).toBeGreaterThan(150)
  expect(holidayRegions([])).toContainEqual({ code: 'PT', name: 'Portugal' })
  expect(holidayRegions(['DE'])).toContainEqual({ code: 'BY', name: 'Bayern' })
  expect(holidayRegions(['DE', 'BY']).map(({ code }) => code)).toContain('A')
  expect([holidayRegions(['DE', 'BE', 'X']), holidayRegions(['VA'])]).toEqual([[], []])
})

test('public holidays are dates off with their names, from a date to the end of the next year', () => {
  const found = publicHolidays(['PT'], '2026-12-02')
  expect(found.slice(0, 3).map(({ exception }) => exception)).toEqual([
    { from: '2026-12-08', until: '2026-12-08', hours: 'off', name: 'Immaculate Conception' },
    { from: '2026-12-25', until: '2026-12-25', hours: 'off', name: 'Christmas Day' },
    { from: '2027-01-01', until: '2027-01-01', hours: 'off', name: 'New Year’s Day' },
  ])
  expect(found.at(-1)!.exception!.from).toBe('2027-12-25')
  const names = (path: string[]) => new Set(publicHolidays(path, '2027-01-01').map(({ name }) => name))
  const [country, state] = [names(['DE']), names(['DE', 'BY'])]
  expect([country.has('Epiphany'), state.has('Epiphany')]).toEqual([false, true])
})
