import { Temporal } from 'temporal-polyfill'
import { FIRST_YEAR, LAST_YEAR, dateText, dayAt, readInstant, readLocal, weekdayOf } from './instant.ts'
import { readDuration } from './duration.ts'

const WEEKDAYS = ['mo', 'tu', 'we', 'th', 'fr', 'sa', 'su']
const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec']

/** The longest text that says a time. */
const MAX_TEXT_CHARS = 100

/**
 * Reads a time of day as people write it ("21:30", "9pm", "9.30 pm", "7") as "HH:MM"; `null` where it is
 * none.
 *
 * @example readClock('9.30pm') // '21:30'
 */
export function readClock(text: string): string | null {
  const match = /^(\d{1,2})(?:[:.](\d{2}))?\s*(am|pm)?$/i.exec(text.trim())
  if (!match) return null
  const half = match[3]?.toLowerCase()
  const said = Number(match[1])
  if (half && (said < 1 || said > 12)) return null
  const hours = half ? (said % 12) + (half === 'pm' ? 12 : 0) : said
  const minutes = Number(match[2] ?? 0)
  return hours < 24 && minutes < 60
    ? `${String(hours).padStart(2, '0')}:${String(minutes).padStart(2, '0')}`
    : null
}

/**
 * Reads a moment as one would say it, in the zone and as of `now` (seconds): "now", "in 2 h", "tonight", "fri
 * 21:30", "last tuesday 10", "next monday 8am", "tomorrow 7am", "27 nov 9.30 pm", "25.12. 20:00",
 * "2026-12-24", "21:30", or an instant. A weekday is the next one, today included, with `last` the one before
 * today and with `next` one after it; a day without a time is its noon. `null` where it is none of these.
 */
export function readSpoken(text: string, zone: string, now: number): number | null {
  if (text.length > MAX_TEXT_CHARS) return null
  const said = text
    .trim()
    .toLowerCase()
    .replace(/\s+/g, ' ')
    .replace(/^on /, '')
    .replace(/ at | /g, ' ')
  if (said === 'now') return Math.floor(now)
  const ahead = said.startsWith('in ') ? readDuration(said.slice(3)) : null
  if (ahead !== null) return Math.floor(now) + ahead
  const today = dayAt(now, zone)
  const exact = readInstant(text.trim()) ?? readLocal(text.trim(), zone)
  if (exact !== null) return exact
  const clock = readClock(said)
  if (clock && /[:.apm]/.test(said)) return readLocal(`${dateText(today)}T${clock}`, zone)
  const words = said.split(' ')
  for (let count = words.length; count > 0; count--) {
    const day = readSpokenDay(words.slice(0, count).join(' '), today)
    const evening = words[0] === 'tonight'
    const rest = words.slice(count).join(' ')
    const unsaid = evening ? '20:00' : '12:00'
    const clock = rest === '' ? unsaid : readClock(rest)
    const time =
      evening && clock && clock < '12:00' && !/am$/.test(said)
        ? `${Number(clock.slice(0, 2)) + 12}${clock.slice(2)}`
        : clock
    if (day !== null && time) return readLocal(`${dateText(day)}T${time}`, zone)
  }
  return null
}

/**
 * Reads a day as one would say it, as of today (both days since 1970-01-01): "tomorrow", "next monday", "27
 * nov", "25.12.", "2026-12-24". `null` where it is none of these.
 */
export function readSpokenDay(text: string, today: number): number | null {
  const near = { today: 0, tonight: 0, tomorrow: 1, yesterday: -1 }[text]
  if (near !== undefined) return today + near
  const [, which, name] = /^(?:(last|next|this) )?([a-z]{2,9})$/.exec(text) ?? []
  const weekday = name === undefined ? -1 : WEEKDAYS.indexOf(name.slice(0, 2))
  if (weekday >= 0 && FULL_DAYS[weekday]!.startsWith(name!)) {
    const ahead = (weekday - weekdayOf(today) + 7) % 7
    if (which === 'last') return today + ahead - 7
    return today + (which === 'next' && ahead === 0 ? 7 : ahead)
  }
  const iso = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(text)
  if (iso) return dayOf(Number(iso[1]), Number(iso[2]), Number(iso[3]))
  const dotted = /^(\d{1,2})\.(\d{1,2})\.(\d{4})?$/.exec(text)
  if (dotted)
    return dayOf(Number(dotted[3] ?? dateText(today).slice(0, 4)), Number(dotted[2]), Number(dotted[1]))
  const named = /^(\d{1,2})\.? ([a-z]{3,9})(?: (\d{4}))?$/.exec(text)
  const month = named ? MONTHS.indexOf(named[2]!.slice(0, 3)) + 1 : 0
  return named && month > 0
    ? dayOf(Number(named[3] ?? dateText(today).slice(0, 4)), month, Number(named[1]))
    : null
}

const FULL_DAYS = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday']

function dayOf(year: number, month: number, day: number): number | null {
  if (year < FIRST_YEAR || year > LAST_YEAR) return null
  try {
    return Temporal.PlainDate.from({ year, month, day }, { overflow: 'reject' }).since('1970-01-01').days
  } catch {
    return null
  }
}
