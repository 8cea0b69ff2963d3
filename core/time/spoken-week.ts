import { readClock } from './spoken.ts'
import { DAY_NAMES, readWeek, type Week } from './week.ts'
import type { Read } from './week-tokens.ts'

/** Names of sets of days, 0 = Monday; nights before school days begin on Sunday to Thursday. */
const SETS: readonly (readonly [RegExp, readonly number[]])[] = [
  [/^(?:every ?day|daily|all week|always|each day)$/, [0, 1, 2, 3, 4, 5, 6]],
  [/^(?:(?:on )?week ?days?|working days?|work ?days?|school days?)$/, [0, 1, 2, 3, 4]],
  [/^(?:(?:the |on )?week-?ends?)$/, [5, 6]],
  [/^(?:school nights?|nights? before (?:a )?school days?)$/, [6, 0, 1, 2, 3]],
]
const DAYS =
  'mo(?:n(?:days?)?)?|tu(?:e(?:s(?:days?)?)?)?|we(?:d(?:nesdays?)?)?|th(?:u(?:rs?(?:days?)?)?)?|fr(?:i(?:days?)?)?|sa(?:t(?:urdays?)?)?|su(?:n(?:days?)?)?'
const CLOCK = '\\d{1,2}(?:[:.]\\d{2})?(?:\\s*[ap]m)?'
/** A time range, or what says a whole day. */
const RANGE = new RegExp(
  `(?:from\\s+|between\\s+)?(?<!\\d)(${CLOCK}|midnight|noon)\\s*(?:-|–|to|until|till|and)\\s*(${CLOCK}|midnight|noon)(?!\\d)|\\ball day\\b|\\b24/7\\b|\\b24 hours\\b`,
  'g',
)
const MAX_TEXT_CHARS = 400

/**
 * Reads a week as people write it, where it is no week text: "every day 9pm-7am", "weekdays 16-18", "Sun-Thu
 * 21:00-07:00; Fri, Sat 23-8", "weekends". A range that ends before it starts goes on into the next day;
 * without days it is every day, and days without a time are whole.
 *
 * @returns the week, or the fault of `readWeek`
 * @example readTypedWeek('weekdays 4-6pm').value[0] // [{ start: 960, end: 1080 }]
 */
export function readTypedWeek(text: string): Read<Week> {
  const exact = readWeek(text)
  if ('value' in exact) return exact
  const spoken = spokenText(text)
  if (spoken === null) return exact
  const read = readWeek(spoken)
  return 'value' in read ? read : exact
}

/** The week text of what is said; `null` where it is not understood. */
function spokenText(text: string): string | null {
  if (text.length > MAX_TEXT_CHARS) return null
  const said = text.trim().toLowerCase().replace(/\s+/g, ' ')
  const windows = new Map<number, string[]>()
  let days: readonly number[] | null = null
  let at = 0
  for (const match of said.matchAll(RANGE)) {
    const named = daysIn(said.slice(at, match.index))
    if (named === undefined) return null
    days = named ?? days ?? [0, 1, 2, 3, 4, 5, 6]
    const range = match[1] === undefined ? '00:00-24:00' : rangeText(match[1], match[2]!)
    if (range === null) return null
    for (const day of days) windows.set(day, [...(windows.get(day) ?? []), range])
    at = match.index + match[0].length
  }
  const rest = daysIn(said.slice(at))
  if (rest === undefined || (rest === null && windows.size === 0)) return null
  for (const day of rest ?? []) windows.set(day, ['00:00-24:00'])
  return [...windows]
    .sort(([a], [b]) => a - b)
    .map(([day, ranges]) => `${DAY_NAMES[day]} ${ranges.join(',')}`)
    .join('; ')
}

/** The days that a text names: `null` = it names none, undefined = something else stands there. */
function daysIn(text: string): readonly number[] | null | undefined {
  const words = text
    .replace(/^[\s,;:]+|[\s,;:]+$/g, '')
    .replace(/^(?:and|on|from)\s+|\s+(?:from|at|between)$/g, '')
    .trim()
  if (words === '' || words === 'and') return null
  const set = SETS.find(([name]) => name.test(words))
  if (set) return set[1]
  const days = new Set<number>()
  const part = new RegExp(`^(${DAYS})(?:\\s*(?:-|–|to|until)\\s*(${DAYS}))?$`)
  for (const one of words.split(/\s*(?:,|\band\b|&|\+)\s*/).filter(Boolean)) {
    const other = SETS.find(([name]) => name.test(one))
    const match = part.exec(one)
    if (!other && !match) return undefined
    const [first, last] = match ? [dayOf(match[1]!), dayOf(match[2] ?? match[1]!)] : [0, 0]
    const named = other
      ? other[1]
      : Array.from({ length: ((last - first + 7) % 7) + 1 }, (_, index) => (first + index) % 7)
    named.forEach((day) => days.add(day))
  }
  return [...days]
}

const dayOf = (name: string) => DAY_NAMES.findIndex((day) => name.startsWith(day.toLowerCase()))

/**
 * "9pm" and "7am" as "21:00-07:00"; where only the end says its half of the day, so does the start: "4-6pm".
 */
function rangeText(start: string, end: string): string | null {
  const half = /[ap]m$/.exec(end)?.[0]
  const clock = (said: string) => {
    if (said === 'midnight') return '00:00'
    if (said === 'noon') return '12:00'
    return readClock(said)
  }
  const until = end === 'midnight' || end === '24' || end === '24:00' ? '24:00' : clock(end)
  const bare = clock(start)
  const both = half && !/[ap]m$/.test(start) ? clock(`${start}${half}`) : null
  const from = both !== null && until !== null && both < until ? both : bare
  return from === null || until === null || from === until ? null : `${from}-${until}`
}
