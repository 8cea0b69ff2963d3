import { DAY } from './duration.ts'
import { Temporal } from 'temporal-polyfill'

/**
 * A half-open range of instants (seconds) through which a zone keeps one offset: local reading = instant +
 * `offset` seconds.
 */
export interface OffsetStretch {
  readonly from: number
  readonly until: number
  readonly offset: number
}

const YEAR = 366 * DAY

// Reading a zone costs microseconds a call, so what was read of each zone is kept, and widened by a year at a
// time.
const tables = new Map<string, readonly OffsetStretch[]>()

/**
 * Whether the time-zone data knows this IANA name ("Europe/Lisbon"); bare offsets such as "+01:00" are no
 * place's zone.
 *
 * @example isTimeZone('Europe/Lisbon') // true
 */
export function isTimeZone(name: string): boolean {
  if (!/^[A-Za-z]/.test(name)) return false
  try {
    Temporal.Instant.fromEpochMilliseconds(0).toZonedDateTimeISO(name)
    return true
  } catch {
    return false
  }
}

/**
 * The zone's stretches of constant offset that meet `[from, until)`, in order; the outer two may reach beyond
 * it.
 *
 * @throws RangeError for an unknown zone
 */
export function offsetStretches(zone: string, from: number, until: number): readonly OffsetStretch[] {
  let table = tables.get(zone)
  const known = table && { from: table[0]!.from, until: table.at(-1)!.until }
  if (!table || !known || from < known.from || until > known.until) {
    table = readTable(
      zone,
      Math.min(from - YEAR, known?.from ?? Infinity),
      Math.max(until + YEAR, known?.until ?? -Infinity),
    )
    tables.set(zone, table)
  }
  let first = 0
  while (table[first]!.until <= from) first++
  let last = first + 1
  while (last < table.length && table[last]!.from < until) last++
  return first === 0 && last === table.length ? table : table.slice(first, last)
}

function readTable(zone: string, from: number, until: number): OffsetStretch[] {
  const stretches: OffsetStretch[] = []
  for (let at = from; at < until;) {
    const here = Temporal.Instant.fromEpochMilliseconds(at * 1000).toZonedDateTimeISO(zone)
    const change = here.getTimeZoneTransition('next')
    const next = change ? Math.min(Math.ceil(change.epochMilliseconds / 1000), until) : until
    const offset = here.offsetNanoseconds / 1e9
    const last = stretches.at(-1)
    if (last?.offset === offset) stretches[stretches.length - 1] = { ...last, until: next }
    else stretches.push({ from: at, until: next, offset })
    at = next
  }
  return stretches
}

/**
 * Seconds to add to the instant (seconds) for the reading of the wall clock in the zone.
 *
 * @example offsetAt('Europe/Lisbon', 1782000000) // 3600
 */
export function offsetAt(zone: string, instant: number): number {
  return offsetStretches(zone, instant, instant + 1)[0]!.offset
}
