import { startOfMinute } from '../core/time/duration.ts'
import { NOTHING, plus, type AdapterCount, type Count } from '../protocol/evidence.ts'

/** What one adapter used since the reading before. */
export interface Use {
  readonly mac: string
  readonly sent: Count
  readonly received: Count
  readonly dropped: Count
  /** The start of the minute (seconds) that is active from this reading on; `null` = none that was not before. */
  readonly activeMinute: number | null
}

/** What passed of an adapter within a minute. */
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

  /**
   * Takes what was counted by an instant (seconds); what came since the last time belongs to its minute.
   *
   * @param kilobytes from how many one way on a minute is active
   * @returns the adapters that used something
   */
  read(counts: readonly AdapterCount[], at: number, kilobytes: number): Use[] {
    for (const [mac, minute] of this.#minutes) if (minute.at < at - 60) this.#minutes.delete(mac)
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
      return [{ mac, ...since, activeMinute: this.#activeMinute(mac, since, at, kilobytes) }]
    })
  }

  #activeMinute(mac: string, { sent, received }: Reading, at: number, kilobytes: number): number | null {
    const start = startOfMinute(at)
    const known = this.#minutes.get(mac)
    const minute = known?.at === start ? known : { at: start, sent: 0, received: 0, isActive: false }
    this.#minutes.set(mac, minute)
    minute.sent += sent.bytes
    minute.received += received.bytes
    if (minute.isActive || Math.max(minute.sent, minute.received) <= kilobytes * 1000) return null
    minute.isActive = true
    return start
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
