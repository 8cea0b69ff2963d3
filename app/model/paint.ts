import type { Schedule } from '../../core/policy/types.ts'
import { clip, complement, secondsIn, unite, type Ranges } from '../../core/time/ranges.ts'
import { clockText, DAY_NAMES, uniteSpans, type Week } from '../../core/time/week.ts'
import { clockWords } from '../../core/words/clock.ts'
import { schedulesText } from '../text/schedules.ts'

/**
 * A window as one takes hold of it: the weekday on which it starts (0 = Monday) and minutes from that
 * midnight; `end` at most a day after `start`.
 */
export interface Window {
  readonly day: number
  readonly start: number
  readonly end: number
}

const DAY = 1440
/** The minutes of a week; an absolute minute counts from Monday's midnight and goes round. */
export const WEEK = 7 * DAY

const round = (minute: number) => ((minute % WEEK) + WEEK) % WEEK
const at = (minute: number, length: number): Window => {
  const start = round(minute)
  return {
    day: Math.floor(start / DAY),
    start: start % DAY,
    end: (start % DAY) + Math.min(Math.max(length, 1), DAY),
  }
}

/** The windows of a week, in order. */
export function windowsOf(week: Week): Window[] {
  return week.flatMap((spans, day) => spans.map(({ start, end }) => ({ day, start, end })))
}

/** The week of some windows; those of one day that meet unite. */
export function weekOf(windows: readonly Window[]): Week {
  return Array.from({ length: 7 }, (_, day) => uniteSpans(windows.filter((window) => window.day === day)))
}

/** The absolute minute at which a window starts. */
export const startOf = ({ day, start }: Window) => day * DAY + start

/**
 * The window between two absolute minutes, in whichever direction is the shorter way round; at most a day
 * long.
 */
export function between(anchor: number, other: number, least: number): Window {
  const ahead = round(other - anchor)
  return ahead <= WEEK / 2
    ? at(anchor, Math.max(ahead, least))
    : at(anchor - Math.min(WEEK - ahead, DAY), WEEK - ahead)
}

/** A window moved by minutes, round the week. */
export function moved(window: Window, by: number): Window {
  return at(startOf(window) + by, window.end - window.start)
}

/** A window with its end at an absolute minute: no shorter than `least` minutes, no longer than a day. */
export function endedAt(window: Window, minute: number, least: number): Window {
  const length = round(minute - startOf(window))
  return at(startOf(window), length > WEEK / 2 ? least : Math.max(least, length))
}

/** A window with its start at an absolute minute, its end where it was. */
export function startedAt(window: Window, minute: number, least: number): Window {
  const end = startOf(window) + window.end - window.start
  const length = round(end - minute)
  const kept = length > WEEK / 2 ? least : Math.min(Math.max(least, length), DAY)
  return at(end - kept, kept)
}

/**
 * The week outside a week: its hours allowed instead of blocked. What is longer than a day is cut at
 * midnight.
 */
export function inverted(week: Week): Week {
  const gaps = complement(insideOf(week), 0, WEEK)
  const [first, last] = [gaps[0], gaps.at(-1)]
  // The gap over Sunday's midnight is one, begun on Sunday.
  const joined =
    gaps.length > 1 && first!.from === 0 && last!.until === WEEK
      ? [...gaps.slice(1, -1), { from: last!.from, until: WEEK + first!.until }]
      : gaps
  return weekOf(
    joined.flatMap(({ from, until }) =>
      until - from <= DAY && until - from < WEEK ? [at(from, until - from)] : cutAtMidnight(from, until),
    ),
  )
}

/** The minutes a week that its windows hold together; where they overlap they count once. */
export function minutesIn(week: Week): number {
  return secondsIn(clip(insideOf(week), 0, WEEK))
}

/** A week in which some days have the windows of one. */
export function copied(week: Week, day: number, to: readonly number[]): Week {
  return week.map((spans, index) => (to.includes(index) ? week[day]! : spans))
}

/** The parts of a window in the lanes in which it shows: [weekday, first minute, last minute). */
export function lanesOf({ day, start, end }: Window): [day: number, from: number, until: number][] {
  return end <= DAY
    ? [[day, start, end]]
    : [
        [day, start, DAY],
        [(day + 1) % 7, 0, end - DAY],
      ]
}

/** A window in words: "Mo 21:00 to Tu 07:00". */
export function windowWords({ day, start, end }: Window): string {
  return schedulesText.windowRange(
    DAY_NAMES[day]!,
    clockWords(clockText(start)),
    end > DAY ? `${DAY_NAMES[(day + 1) % 7]!} ` : '',
    clockWords(clockText(end > DAY ? end - DAY : end)),
  )
}

// The minutes inside, also those that Sunday's windows bring into the week's beginning.
function insideOf(week: Week): Ranges {
  return unite(
    windowsOf(week).flatMap((window) => {
      const [from, until] = [startOf(window), startOf(window) + window.end - window.start]
      return [
        { from, until },
        { from: from - WEEK, until: until - WEEK },
      ]
    }),
  )
}

function cutAtMidnight(from: number, until: number): Window[] {
  const pieces: Window[] = []
  for (let start = from; start < until;) {
    const end = Math.min(until, (Math.floor(start / DAY) + 1) * DAY)
    pieces.push(at(start, end - start))
    start = end
  }
  return pieces
}

/** The first state of a new schedule. */
export const NEW_SCHEDULE: Schedule = {
  id: '',
  name: '',
  week: 'Mo-Su 21:00-07:00',
  exceptions: [],
  note: '',
}
