/** Seconds in a minute, an hour, and a day of the calendar; a day with a clock change has other instants. */
export const [MINUTE, HOUR, DAY] = [60, 3600, 86_400]

/** The longest text that says a duration. */
const MAX_TEXT_CHARS = 100
const UNITS: Readonly<Record<string, number>> = { d: DAY, h: HOUR, m: MINUTE }

/**
 * Reads a duration as people write it.
 *
 * @returns whole seconds; `null` where it is none, or nothing
 * @example readDuration('1 h 30 min') // 5400
 * @example readDuration('1,5h') // 5400
 */
export function readDuration(text: string): number | null {
  if (text.length > MAX_TEXT_CHARS) return null
  const part = /\s*(\d+(?:[.,]\d+)?)\s*(d|days?|h|hours?|m|min|mins|minutes?)(?=\s|\d|$)/y
  const said = text.trim().toLowerCase()
  let seconds = 0
  while (part.lastIndex < said.length) {
    const [, amount, unit] = part.exec(said) ?? []
    if (amount === undefined || unit === undefined) return null
    seconds += Number(amount.replace(',', '.')) * UNITS[unit[0]!]!
  }
  return seconds > 0 ? Math.round(seconds) : null
}

/**
 * The start of the minute in which an instant (seconds, also with a fraction) lies.
 *
 * @example startOfMinute(125) // 120
 */
export function startOfMinute(instant: number): number {
  return Math.floor(instant / MINUTE) * MINUTE
}

/** The start of the hour, by UTC, in which an instant (seconds) lies. */
export function startOfHour(instant: number): number {
  return Math.floor(instant / HOUR) * HOUR
}
