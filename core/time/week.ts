import { attempt, Fault, type Read, type Token, type Tokens } from './week-tokens.ts'

/**
 * A window: minutes counted from the midnight that begins its day; `start` in [0, 1440), `end` after it, at
 * most 24 hours later. Half-open.
 */
export interface Span {
  readonly start: number
  readonly end: number
}

/**
 * The windows that start on each weekday, 0 = Monday … 6 = Sunday; each day's in order, neither overlapping
 * nor touching where one span can say it.
 */
export type Week = readonly (readonly Span[])[]

export const DAY_NAMES = ['Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su'] as const

const MINUTES = 1440
const WHOLE_DAY: readonly Span[] = [{ start: 0, end: MINUTES }]

/**
 * Reads week text, the subset of the OpenStreetMap opening_hours syntax of docs/policy.md. A later part
 * replaces an earlier one on its days.
 *
 * @example readWeek('Mo-Fr 21:00-07:00').value[0] // [{ start: 1260, end: 1860 }]
 */
export function readWeek(text: string): Read<Week> {
  return attempt(text, (tokens) => {
    const week = Array<readonly Span[]>(7).fill([])
    if (tokens.take('24/7')) {
      tokens.expect('end', 'Nothing may follow 24/7.')
      return week.fill(WHOLE_DAY)
    }
    do {
      const days = tokens.peek().kind === 'day' ? readDays(tokens) : [0, 1, 2, 3, 4, 5, 6]
      const hours = readHours(tokens)
      for (const day of days) week[day] = hours
    } while (tokens.take(';'))
    tokens.expect('end', 'Separate parts by “;”, times by “,”.')
    return week
  })
}

/** Reads the hours of an exception: `off`, `24/7`, or times without days. */
export function readExceptionHours(text: string): Read<readonly Span[]> {
  return attempt(text, (tokens) => {
    const hours = tokens.take('24/7') ? WHOLE_DAY : readHours(tokens)
    tokens.expect('end', 'The hours of an exception are “off”, “24/7”, or times without days.')
    return hours
  })
}

/** Writes a week in its one canonical form; `readWeek` of it gives the same week. */
export function weekText(week: Week): string {
  const texts = week.map(hoursText)
  if (texts.every((text) => text === 'off')) return 'off'
  if (texts.every((text) => text === '00:00-24:00')) return '24/7'
  return [...new Set(texts)]
    .filter((text) => text !== 'off')
    .map((text) => `${daysText(texts.flatMap((other, day) => (other === text ? [day] : [])))} ${text}`)
    .join('; ')
}

/**
 * Writes one day's windows: "09:00-12:00,22:00-07:00", or "off".
 *
 * @example hoursText([{ start: 540, end: 1020 }]) // '09:00-17:00'
 */
export function hoursText(spans: readonly Span[]): string {
  return spans.length === 0 ? 'off' : spans.map(spanText).join(',')
}

/** Writes an exception's hours in canonical form. */
export function exceptionHoursText(spans: readonly Span[]): string {
  const text = hoursText(spans)
  return text === '00:00-24:00' ? '24/7' : text
}

/**
 * Windows of one day, united; a union longer than 24 hours, which no single window can say, becomes two that
 * overlap.
 */
export function uniteSpans(spans: readonly Span[]): readonly Span[] {
  const united: { start: number; end: number }[] = []
  for (const { start, end } of [...spans].sort((a, b) => a.start - b.start)) {
    const last = united.at(-1)
    if (last && start <= last.end) last.end = Math.max(last.end, end)
    else united.push({ start, end })
  }
  return united.flatMap(({ start, end }) =>
    end - start <= MINUTES
      ? [{ start, end }]
      : [
          { start, end: start + MINUTES },
          { start: end - MINUTES, end },
        ],
  )
}

/**
 * Writes minutes from midnight as "HH:MM"; hours run on past 24.
 *
 * @example clockText(1290) // '21:30'
 */
export function clockText(minutes: number): string {
  return `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`
}

function spanText({ start, end }: Span): string {
  const nextDay = end > MINUTES && end - start < MINUTES
  return `${clockText(start)}-${clockText(nextDay ? end - MINUTES : end)}`
}

function daysText(days: readonly number[]): string {
  if (days.length === 7) return 'Mo-Su'
  const has = (day: number) => days.includes((day + 7) % 7)
  return days
    .filter((day) => !has(day - 1))
    .map((first) => {
      let length = 1
      while (has(first + length)) length++
      const last = DAY_NAMES[(first + length - 1) % 7]!
      return length === 1 ? DAY_NAMES[first]! : `${DAY_NAMES[first]!}${length === 2 ? ',' : '-'}${last}`
    })
    .join(',')
}

function readDays(tokens: Tokens): number[] {
  const days: number[] = []
  do {
    const first = dayIndex(tokens.expect('day', 'Expected a day: Mo Tu We Th Fr Sa Su.'))
    const last = tokens.take('-')
      ? dayIndex(tokens.expect('day', 'Expected the last day of the range: Mo Tu We Th Fr Sa Su.'))
      : first
    for (let day = first; ; day = (day + 1) % 7) {
      days.push(day)
      if (day === last) break
    }
  } while (tokens.take(','))
  return days
}

function readHours(tokens: Tokens): readonly Span[] {
  if (tokens.take('off')) return []
  const spans: Span[] = []
  do {
    const from = tokens.expect('time', 'Expected a time such as 09:00, or “off”.')
    tokens.expect('-', 'Expected “-” and the time at which the window ends.')
    const until = tokens.expect('time', 'Expected the time at which the window ends.')
    spans.push(spanOf(from, until))
  } while (tokens.take(','))
  return uniteSpans(spans)
}

function spanOf(from: Token, until: Token): Span {
  const start = minutesOf(from, 23 * 60 + 59, 'A window starts between 00:00 and 23:59')
  const said = minutesOf(until, 48 * 60, 'A window ends at 48:00 at the latest')
  const fault = (message: string) => new Fault({ from: from.from, until: until.until, message })
  if (said === start)
    throw fault(`${from.text}-${until.text} has no length: write 00:00-24:00 for a whole day.`)
  const end = said < start ? said + MINUTES : said
  if (end - start > MINUTES) throw fault(`${from.text}-${until.text} is longer than 24 hours.`)
  return { start, end }
}

function minutesOf(token: Token, latest: number, limit: string): number {
  const match = /^(\d\d):([0-5]\d)$/.exec(token.text)
  if (!match)
    throw new Fault({ ...token, message: `“${token.text}” is not a time: write HH:MM, such as 09:00.` })
  const minutes = Number(match[1]) * 60 + Number(match[2])
  if (minutes > latest) throw new Fault({ ...token, message: `${limit}, not at ${token.text}.` })
  return minutes
}

const dayIndex = (token: Token) =>
  DAY_NAMES.findIndex((name) => name.toLowerCase() === token.text.toLowerCase())
