import { HOUR } from '../../core/time/duration.ts'
import { readDate, readInstant, startOfDay } from '../../core/time/instant.ts'
import type { UsageAnswer } from '../../protocol/answers.ts'

/** The measure of a comparison: the bytes both ways, or the time in which a device was active. */
export type Measure = 'bytes' | 'minutes'

/** The total usage of a device: bytes, minutes, and dropped tries. */
export interface DeviceUse {
  readonly key: string
  readonly name: string
  readonly macs: readonly string[]
  readonly sent: number
  readonly received: number
  readonly bytes: number
  readonly minutes: number
  readonly dropped: number
}

/** The owner of an adapter, by which usage is grouped. */
export interface Owner {
  readonly key: string
  readonly name: string
  readonly macs: readonly string[]
}

/** Returns the usage of each device, the largest first; an address without a device stands for itself. */
export function usePerDevice(
  rows: readonly UsageAnswer[],
  owners: readonly Owner[],
  measure: Measure,
): DeviceUse[] {
  const ownerOf = new Map(owners.flatMap((owner) => owner.macs.map((mac): [string, Owner] => [mac, owner])))
  const all = new Map<string, DeviceUse>()
  for (const row of rows) {
    const owner = ownerOf.get(row.mac) ?? { key: row.mac, name: row.mac, macs: [row.mac] }
    const before = all.get(owner.key) ?? { ...owner, sent: 0, received: 0, bytes: 0, minutes: 0, dropped: 0 }
    all.set(owner.key, {
      ...before,
      sent: before.sent + row.sent,
      received: before.received + row.received,
      bytes: before.bytes + row.sent + row.received,
      minutes: before.minutes + row.minutes,
      dropped: before.dropped + row.dropped,
    })
  }
  return [...all.values()].sort(
    (a, b) => b[measure] - a[measure] || b.bytes - a.bytes || a.name.localeCompare(b.name),
  )
}

/** A bar of the chart: what was used in `[from, until)`, in seconds. */
export interface Bar {
  readonly from: number
  readonly until: number
  readonly bytes: number
  readonly minutes: number
  readonly dropped: number
}

/** The bars of a device, one for each hour or day in which it used something or tried to, in their order. */
export function barsOf(rows: readonly UsageAnswer[], by: 'hour' | 'day', zone: string): Bar[] {
  const bars = new Map<string, Bar>()
  for (const { at, sent, received, minutes, dropped } of rows) {
    const before = bars.get(at) ?? emptyBar(at, by, zone)
    bars.set(at, {
      ...before,
      bytes: before.bytes + sent + received,
      // Two adapters of one device may be active in the same minute.
      minutes: Math.min((before.until - before.from) / 60, before.minutes + minutes),
      dropped: before.dropped + dropped,
    })
  }
  return [...bars.values()].sort((a, b) => a.from - b.from)
}

function emptyBar(at: string, by: 'hour' | 'day', zone: string): Bar {
  const nothing = { bytes: 0, minutes: 0, dropped: 0 }
  if (by === 'hour') {
    const from = readInstant(at)!
    return { from, until: from + HOUR, ...nothing }
  }
  const day = readDate(at)!
  return { from: startOfDay(day, zone), until: startOfDay(day + 1, zone), ...nothing }
}

/** The spans that one looks at, in days. */
export const SPANS = { day: 1, week: 7, month: 30 } as const
export type Span = keyof typeof SPANS

/** The days `[first, last]` of a span that ends with a day, and their instants `[from, until)` in seconds. */
export function rangeOf(span: Span, day: number, zone: string) {
  const first = day - SPANS[span] + 1
  return { first, last: day, from: startOfDay(first, zone), until: startOfDay(day + 1, zone) }
}
