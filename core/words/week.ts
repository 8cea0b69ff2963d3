import { clockText as clockOfDay, hoursText, readWeek, type Span, type Week } from '../time/week.ts'
import { listWords } from './count.ts'
import { clockWords } from './clock.ts'

/** The days of the week in full, Monday first. */
export const WEEKDAYS: readonly string[] = [
  'Monday',
  'Tuesday',
  'Wednesday',
  'Thursday',
  'Friday',
  'Saturday',
  'Sunday',
]
const HALF_DAY = 720

const clockText = (minutes: number) => clockWords(clockOfDay(minutes))

/**
 * A week in words, the days that are alike together: "Sunday to Thursday 21:00 to 07:00 next day; Friday and
 * Saturday 23:30 to 08:30 next day".
 */
export function weekWords(week: Week): string {
  const groups = new Map<string, number[]>()
  week.forEach((spans, day) => {
    if (spans.length > 0) groups.set(hoursText(spans), [...(groups.get(hoursText(spans)) ?? []), day])
  })
  if (groups.size === 0) return 'never'
  return [...groups.values()]
    .map((days) => `${daysWords(days)} ${listWords(week[days[0]!]!.map(spanWords))}`)
    .join('; ')
}

/**
 * A week's text in the document's notation in words, and as it is where it cannot be read.
 *
 * @example weekTextWords('Mo-Fr 21:00-07:00') // 'Monday to Friday 21:00 to 07:00 next day'
 */
export function weekTextWords(text: string): string {
  const read = readWeek(text)
  return 'value' in read ? weekWords(read.value) : text
}

/**
 * Days of the week, in order: "every day", "Monday to Friday", "Sunday to Thursday", "Monday and Wednesday".
 */
function daysWords(days: readonly number[]): string {
  if (days.length === 7) return 'every day'
  // The run that goes around the end of the week begins where the day before is not among them.
  const first = days.find((day) => !days.includes((day + 6) % 7))!
  const around = days.map((_, index) => (first + index) % 7)
  const isRun = around.every((day) => days.includes(day))
  if (isRun && days.length > 2) return `${WEEKDAYS[first]} to ${WEEKDAYS[around.at(-1)!]}`
  return listWords(days.map((day) => WEEKDAYS[day]!))
}

function spanWords({ start, end }: Span): string {
  if (start === 0 && end === 2 * HALF_DAY) return 'all day'
  const until = end > 2 * HALF_DAY ? `${clockText(end - 2 * HALF_DAY)} next day` : clockText(end)
  return `${clockText(start)} to ${until}`
}
