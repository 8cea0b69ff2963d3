import type { Exception } from '../policy/types.ts'
import { dateText } from './instant.ts'
import { readSpokenDay } from './spoken.ts'
import { readTypedWeek } from './spoken-week.ts'
import { exceptionHoursText } from './week.ts'

/** The most words of a text that are tried as its dates: "24 December 2026 to 2 January 2027". */
const MOST_DATE_WORDS = 7

/**
 * Reads dates with other hours as one would type them, as of a day (days since 1970-01-01): "24 Dec 8-12",
 * "24-26 Dec off", "24 Dec to 2 Jan", "tomorrow 9am-1pm". Without hours they are `off`; a date without a year
 * that is over is that of the next year. `null` where it is none of these.
 *
 * @example readSpokenException('24-26 dec', 20784) // { from: '2026-12-24', until: '2026-12-26', hours: 'off' }
 */
export function readSpokenException(text: string, today: number): Omit<Exception, 'name'> | null {
  const words = text.trim().toLowerCase().split(/\s+/)
  for (let count = Math.min(words.length, MOST_DATE_WORDS); count > 0; count--) {
    const dates = readDates(words.slice(0, count).join(' '), today)
    const hours = dates && readHours(words.slice(count).join(' '))
    if (dates && hours) return { ...dates, hours }
  }
  return null
}

/** "24 dec", "24-26 dec", "24 dec to 2 jan". */
function readDates(text: string, today: number): { from: string; until: string } | null {
  const [, first, last, month] = /^(\d{1,2})\.?\s*[-–]\s*(\d{1,2})\.?( [a-z]+(?: \d{4})?)$/.exec(text) ?? []
  const [begin, end = begin] =
    month === undefined ? text.split(/ (?:to|until|till|-|–) /) : [`${first}${month}`, `${last}${month}`]
  const from = readFrom(begin!, today, today)
  const until = from === null ? null : readFrom(end!, today, from)
  return from === null || until === null ? null : { from: dateText(from), until: dateText(until) }
}

/** The day that a text says as of today; one without a year that is before `least`, a year later. */
function readFrom(text: string, today: number, least: number): number | null {
  const day = readSpokenDay(text, today)
  if (day === null || day >= least) return day
  const nextYear = Number(dateText(today).slice(0, 4)) + 1
  return /\d{4}/.test(text) ? null : readSpokenDay(`${text} ${nextYear}`, today)
}

function readHours(text: string): string | null {
  if (text === '') return 'off'
  if (/[a-z]/.test(text.replaceAll(/\b(?:off|am|pm|noon|midnight|to|and)\b|\d(?:am|pm)/g, ''))) return null
  const read = readTypedWeek(text)
  return 'value' in read ? exceptionHoursText(read.value[0]!) : null
}
