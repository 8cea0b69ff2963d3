import { mayBeBlocked, type KnownUse } from '../../core/allowance/outlook.ts'
import type { Compiled } from '../../core/decision/compile.ts'
import { periodTimelines, type PolicyPeriod } from '../../core/decision/periods.ts'
import type { Subject } from '../../core/decision/subject.ts'
import { bandShapes, mayBeShapes } from '../../core/picture/band.ts'
import { dayAt, startOfDay } from '../../core/time/instant.ts'
import type { ReadersClock } from './layout.ts'
import type { AccessRequest } from '../../protocol/request.ts'

/** The drawing of a day, in pixels. */
const [WIDTH, HEIGHT] = [480, 22]

/**
 * The viewer of a page of the gateway, and the time (seconds). `periods` are the policies that were in force,
 * up to the one that is.
 */
export interface Viewer {
  readonly clock: ReadersClock
  readonly compiled: Compiled
  readonly subject: Subject
  readonly mac: string
  readonly periods: readonly PolicyPeriod[]
  readonly at: number
  /** The usage of allowances as it is known. */
  readonly known: KnownUse
  /** Its latest request for more time; `null` = none within the last day. */
  readonly request: AccessRequest | null
}

/**
 * A day as a band (SVG); `knownFrom` = since when it is known, in seconds, where that is later than its
 * start.
 */
export interface DayBand {
  readonly svg: string
  readonly from: number
  readonly until: number
  readonly knownFrom: number | null
  /** Whether some of it may be blocked because an allowance may be used up. */
  readonly mayBe: boolean
}

/** Draws the access of a viewer so many days after today; the present is marked on today's band. */
export function dayBand(
  { compiled, subject, mac, periods, at, known: use }: Viewer,
  daysLater: number,
  label: string,
): DayBand {
  const { zone } = compiled
  const day = dayAt(at, zone) + daysLater
  const [from, until] = [startOfDay(day, zone), startOfDay(day + 1, zone)]
  const current = periods.at(-1)!
  // A clock that was set back reads a time before what is in force began.
  const then = current.from > at ? [{ ...current, from: at }] : periods
  const known = Math.max(from, then[0]!.from)
  const person = { device: subject.device, macs: [mac], network: subject.network }
  const [line] = periodTimelines(then, [person], known, until)
  const shapes = bandShapes(line!.segments, from, until, WIDTH, HEIGHT)
  const drawn = shapes.map(({ path, dots }) => {
    const circles = dots.map((x) => `<circle cx="${x}" cy="${HEIGHT - 3}" r="1.4"/>`)
    return `${path === '' ? '' : `<path d="${path}"/>`}${circles.join('')}`
  })
  const [may] = until > at ? mayBeBlocked(compiled.policy, [subject], use, at, until) : [[]]
  const pale = mayBeShapes(may!, from, until, WIDTH, HEIGHT).map((path) => `<path class="may" d="${path}"/>`)
  const x = Math.round(((at - from) / (until - from)) * WIDTH)
  const needle = daysLater === 0 ? `<line x1="${x}" x2="${x}" y1="-4" y2="${HEIGHT}"/>` : ''
  return {
    svg: `<svg viewBox="0 0 ${WIDTH} ${HEIGHT}" preserveAspectRatio="none" role="img" aria-label="${label}">${drawn.join('')}${pale.join('')}${needle}</svg>`,
    from,
    until,
    knownFrom: known > from ? known : null,
    mayBe: pale.length > 0,
  }
}
