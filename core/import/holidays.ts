import Holidays from 'date-holidays'
import { DAY } from '../time/duration.ts'
import { dateText, readDate } from '../time/instant.ts'
import type { CalendarEntry } from './icalendar.ts'

/** A country, or a part of one that has holidays of its own: its code (ISO 3166) and its name. */
export interface Region {
  readonly code: string
  readonly name: string
}

const listOf = (found: Readonly<Record<string, string>> | undefined): Region[] =>
  Object.entries(found ?? {})
    .map(([code, name]) => ({ code, name }))
    .sort((a, b) => a.name.localeCompare(b.name, 'en'))

/**
 * The parts of a place that have public holidays of their own: of `[]` all countries, of `['DE']` the states of
 * one, of `['DE', 'BY']` the regions of one of these. Empty where it has none.
 */
export function holidayRegions(path: readonly string[]): Region[] {
  const holidays = new Holidays()
  const [country, state] = path
  if (country === undefined) return listOf(holidays.getCountries('en'))
  if (state === undefined) return listOf(holidays.getStates(country, 'en'))
  return path.length === 2 ? listOf(holidays.getRegions(country, state, 'en')) : []
}

/**
 * The public holidays of a country, a state or a region from a date ("YYYY-MM-DD") to the end of the year after
 * it, as exceptions without hours, each with its name in English where that is known.
 */
export function publicHolidays([country, state, region]: readonly string[], from: string): CalendarEntry[] {
  const holidays = new Holidays(
    { country: country!, state: state ?? '', region: region ?? '' },
    { languages: ['en'], types: ['public'] },
  )
  const year = Number(from.slice(0, 4))
  return [year, year + 1]
    .flatMap((one) => holidays.getHolidays(one))
    .filter(({ date }) => date.slice(0, 10) >= from)
    .map(({ name: given, date, start, end }): CalendarEntry => {
      const name = given.replaceAll("'", '’')
      const first = readDate(date.slice(0, 10))!
      const days = Math.max(1, Math.round((end.getTime() - start.getTime()) / 1000 / DAY))
      const exception = {
        from: dateText(first),
        until: dateText(first + days - 1),
        hours: 'off',
        name,
      }
      return { name, becomes: 'exception', exception, days: [], span: null, reason: '' }
    })
}
