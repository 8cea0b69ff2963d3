import { MINUTE, startOfMinute } from '../../core/time/duration.ts'
import { NOTHING, plus, type AdapterCount, type Count } from '../../protocol/gateway/evidence.ts'

/** The usage of one adapter since the reading before. */
export interface Use {
  readonly mac: string
  readonly sent: Count
  readonly received: Count
  readonly dropped: Count
  /**
   * The starts of the minutes (seconds) that are active from this reading on and were not before, in their
   * order.
   */
  readonly activeMinutes: readonly number[]
}

/** The traffic of an adapter that passed within a minute. */
interface Minute {
  readonly at: number
  sent: number
  received: number
  isActive: boolean
}

type Reading = Pick<Use, 'sent' | 'received' | 'dropped'>
const NOTHING_READ: Reading = { sent: NOTHING, received: NOTHING, dropped: NOTHING }

/** Says what each adapter used since the last time, from counters that only grow. */
export class UseReader {
  readonly #readings = new Map<string, Reading>()
  readonly #minutes = new Map<string, Minute>()
  #readAtMs: number | null = null

  /**
   * Takes what was counted by an instant (seconds); what came since the last time belongs to its minute.
   * After a longer pause, as many of the minutes since then are active as the counts could have
   * made so.
   *
   * @param kilobytes from how many one way on a minute is active
   * @param nowMs when it is read by a clock that nobody sets, in milliseconds
   * @returns the adapters that used something
   */
  read(
    counts: readonly AdapterCount[],
    at: number,
    kilobytes: number,
    nowMs: number = performance.now(),
  ): Use[] {
    for (const [mac, minute] of this.#minutes) if (Math.abs(minute.at - at) > 120) this.#minutes.delete(mac)
    const missed = this.#readAtMs === null ? 0 : Math.floor((nowMs - this.#readAtMs) / 60_000)
    this.#readAtMs = nowMs
    const told = new Set(counts.map(({ mac }) => mac))
    for (const mac of this.#readings.keys()) if (!told.has(mac)) this.#readings.delete(mac)
    return counts.flatMap(({ mac, passed, received, dropped }): Use[] => {
      const before = this.#readings.get(mac) ?? NOTHING_READ
      const reading = {
        sent: highest(before.sent, plus(passed, received, -1)),
        received: highest(before.received, received),
        dropped: highest(before.dropped, dropped),
      }
      this.#readings.set(mac, reading)
      const since = {
        sent: plus(reading.sent, before.sent, -1),
        received: plus(reading.received, before.received, -1),
        dropped: plus(reading.dropped, before.dropped, -1),
      }
      if (since.sent.packets + since.received.packets + since.dropped.packets === 0) return []
      return [{ mac, ...since, activeMinutes: this.#activeMinutes(mac, since, at, kilobytes, missed) }]
    })
  }

  #activeMinutes(
    mac: string,
    { sent, received }: Reading,
    at: number,
    kilobytes: number,
    missed: number,
  ): number[] {
    const start = startOfMinute(at)
    const known = this.#minutes.get(mac)
    const minute = known?.at === start ? known : { at: start, sent: 0, received: 0, isActive: false }
    this.#minutes.set(mac, minute)
    minute.sent += sent.bytes
    minute.received += received.bytes
    const most = Math.max(minute.sent, minute.received)
    if (minute.isActive || most <= kilobytes * 1000) return []
    minute.isActive = true
    const earlier = Math.min(missed, Math.ceil(most / (kilobytes * 1000 + 1)) - 1)
    return Array.from({ length: earlier + 1 }, (_, index) => start - (earlier - index) * MINUTE)
  }
}

/**
 * The higher of two countings. What passed is what was seen without what was dropped, and the kernel tells both
 * one after the other: it may go down for a reading, and what comes back is not new.
 */
const highest = (a: Count, b: Count): Count => ({
  packets: Math.max(a.packets, b.packets),
  bytes: Math.max(a.bytes, b.bytes),
})
