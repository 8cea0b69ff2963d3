import { DAY, HOUR } from '../../../core/time/duration.ts'
import { dayAt, startOfDay } from '../../../core/time/instant.ts'

/** Stretches of which only the begins matter, in seconds. */
type Begins = readonly { readonly from: number }[]

/**
 * Returns the last instant of the day of `now` (seconds) at which a stretch begins after now; the end of the
 * day where none does.
 */
export function tonightOf(stretches: Begins, now: number, zone: string): number {
  const end = startOfDay(dayAt(now, zone) + 1, zone)
  return stretches.findLast(({ from }) => now < from && from < end)?.from ?? end
}

/** Returns the first instant of the morning after at which a stretch begins; seven o’clock where none does. */
export function morningOf(stretches: Begins, now: number, zone: string): number {
  const midnight = startOfDay(dayAt(now, zone) + 1, zone)
  const turn = stretches.find(({ from }) => midnight < from && from < midnight + DAY / 2)
  return turn?.from ?? midnight + 7 * HOUR
}
