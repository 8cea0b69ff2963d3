import { MINUTE, readDuration } from './duration.ts'
import { readSpoken } from './spoken.ts'

/**
 * When something begins (`null` = at once) and ends: after so many seconds, at an instant (seconds), or not
 * by itself (both `null`).
 */
export interface SpokenSpan {
  readonly from: number | null
  readonly lasts: number | null
  readonly until: number | null
}

/**
 * Reads how long something is to last, as one would say it, in the zone and as of `now` (seconds): "30 min",
 * "45" (minutes), "until 22", "tomorrow 7am", "18:30-19:30", "from sat 10 to 12", "tomorrow 18:30 for 45 min",
 * "until I end it". Hours that are over today are those of tomorrow. `null` where it is none of these, or
 * over.
 *
 * @example readSpan('45', 'Europe/Lisbon', 0) // { from: null, lasts: 2700, until: null }
 */
export function readSpan(text: string, zone: string, now: number): SpokenSpan | null {
  const said = text.trim()
  const lasts = readLength(said)
  if (lasts !== null) return { from: null, lasts, until: null }
  const end = said.replace(/^(?:for|until|till)\s+/i, '')
  if (/^(?:(?:i |you )?end(?:ed)?(?: it)?|lifted)$/i.test(end))
    return { from: null, lasts: null, until: null }
  const until = end === said ? readSpoken(said, zone, now) : readHour(end, zone, now)
  if (until !== null) return until > now ? { from: null, lasts: null, until } : null
  return readRange(said, zone, now) ?? readLater(said, zone, now)
}

/**
 * Reads a length in seconds; a number alone is minutes; `null` where it is none.
 *
 * @example readLength('10 more minutes') // 600
 */
export function readLength(text: string): number | null {
  const said = text
    .trim()
    .replace(/^for\s+/i, '')
    .replace(/(?:^|\s+)more(?=\s|$)/i, '')
    .trim()
  return /^\d{1,4}$/.test(said) ? Number(said) * MINUTE || null : readDuration(said)
}

/** "18:30-19:30", "from sat 10 to 12", "tomorrow 7am until 9am". */
function readRange(text: string, zone: string, now: number): SpokenSpan | null {
  const [, begin, end] = /^(?:from\s+)?(.+?)(?:\s*[-–—]\s*|\s+(?:to|until|till)\s+)(.+)$/i.exec(text) ?? []
  if (begin === undefined || end === undefined) return null
  const rangeFrom = (start: string) => {
    const from = readHour(start, zone, now)
    if (from === null) return null
    const until = [end, `tomorrow ${end}`]
      .map((said) => readHour(said, zone, from))
      .find((at) => at !== null && at > from)
    return until === undefined || until === null || until <= now ? null : { from, until }
  }
  const found = rangeFrom(begin) ?? rangeFrom(`tomorrow ${begin}`)
  return found && { from: found.from > now ? found.from : null, lasts: null, until: found.until }
}

/** "tomorrow 18:30 for 45 min", "at 18:30 for 1 h". */
function readLater(text: string, zone: string, now: number): SpokenSpan | null {
  const [, begin, length] = /^(?:at\s+|from\s+)?(.+?)\s+for\s+(.+)$/i.exec(text) ?? []
  const lasts = length === undefined ? null : readLength(length)
  if (begin === undefined || lasts === null) return null
  const from = [begin, `tomorrow ${begin}`]
    .map((said) => readHour(said, zone, now))
    .find((at) => at !== null && at > now)
  return from === undefined || from === null ? null : { from, lasts: null, until: from + lasts }
}

/** Reads a moment, of which an hour may be said by its number alone. */
function readHour(text: string, zone: string, now: number): number | null {
  return readSpoken(text.trim().replace(/^(\d{1,2})$/, '$1:00'), zone, now)
}
