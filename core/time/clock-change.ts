import { instantText } from './instant.ts'
import { DAY } from './duration.ts'
import { windowsOn, type Hours } from './schedule.ts'
import type { Span } from './week.ts'
import { offsetStretches } from './zone.ts'

/**
 * A change of the zone's clock at an instant (seconds): readings in `[from, until)` (seconds of the local day
 * count) are skipped, or come twice.
 */
export interface ClockChange {
  readonly at: number
  readonly kind: 'skipped' | 'repeated'
  readonly from: number
  readonly until: number
}

/** The zone's clock changes in `[from, until)` (seconds), in order. */
export function clockChanges(zone: string, from: number, until: number): ClockChange[] {
  const stretches = offsetStretches(zone, from, until)
  return stretches.slice(1).flatMap((stretch, index) => {
    const before = stretches[index]!.offset
    const [low, high] = [
      stretch.from + Math.min(before, stretch.offset),
      stretch.from + Math.max(before, stretch.offset),
    ]
    return stretch.from < from || stretch.from >= until
      ? []
      : [
          {
            at: stretch.from,
            kind: stretch.offset > before ? ('skipped' as const) : ('repeated' as const),
            from: low,
            until: high,
          },
        ]
  })
}

/**
 * The zone's offsets for two years from the start of an instant's (seconds) year in UTC, as texts that are
 * equal exactly where the zone data are: the offset in seconds, then each change.
 */
export function offsetsFrom(zone: string, instant: number): string[] {
  const from = Date.UTC(new Date(instant * 1000).getUTCFullYear(), 0) / 1000
  return offsetStretches(zone, from, from + 2 * 366 * DAY)
    .filter((stretch) => stretch.from < from + 2 * 366 * DAY)
    .map((stretch, index) =>
      index === 0 ? String(stretch.offset) : `${instantText(stretch.from)} ${stretch.offset}`,
    )
}

/**
 * A window with an edge inside a skipped or repeated hour, so that it is shorter, longer or twice there on
 * that date; `edge` in minutes of the day's clock.
 */
export interface EdgeAtChange {
  readonly change: ClockChange
  readonly window: Span
  readonly edge: number
}

/**
 * The windows whose start or end lies strictly inside a skipped or repeated stretch of the clock within
 * `[from, until)` (seconds). An edge on its bounds does no harm.
 */
export function edgesAtChanges(hours: Hours, zone: string, from: number, until: number): EdgeAtChange[] {
  return clockChanges(zone, from, until).flatMap((change) => {
    const day = Math.floor(change.from / DAY)
    return [day - 1, day].flatMap((start) =>
      windowsOn(hours, start).flatMap((window) =>
        [window.start, window.end].flatMap((minute) => {
          const reading = start * DAY + minute * 60
          return change.from < reading && reading < change.until
            ? [{ change, window, edge: minute % 1440 }]
            : []
        }),
      ),
    )
  })
}
