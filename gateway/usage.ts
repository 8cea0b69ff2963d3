import { DAY, HOUR } from '../core/time/duration.ts'
import { instantText, readInstant } from '../core/time/instant.ts'
import { offsetAt } from '../core/time/zone.ts'
import { NOTHING, plus, type AdapterCount, type Count } from '../protocol/evidence.ts'
import { FIRST_SETTINGS, type Settings } from '../protocol/settings.ts'
import type { UsageHour, UsageNews } from '../protocol/usage.ts'
import { isInstant, type RowFormat, type Rows } from './row-store.ts'

/** How long hours are kept here, in seconds: the application may be away as long and miss nothing. */
const KEPT = 8 * DAY
/** How many rows are kept at most: whoever makes up addresses fills no memory. */
const MOST = 100_000

interface Row {
  readonly key: string
  readonly at: number
  hour: UsageHour
  /** The number of its last change. */
  number: number
}

/** What passed of an adapter within a minute. */
interface Minute {
  readonly at: number
  sent: number
  received: number
  isCounted: boolean
}

/** What one adapter has sent, received and had dropped since the program began. */
interface Reading {
  readonly sent: Count
  readonly received: Count
  readonly dropped: Count
}
const NOBODY: ReadonlySet<string> = new Set()
const NOTHING_READ: Reading = { sent: NOTHING, received: NOTHING, dropped: NOTHING }

/**
 * Adds up what each adapter used by hour, from counters that only grow. A row belongs to one run of the
 * program, so that nothing is counted twice or lost where one begins anew.
 */
export class UsageMeter implements Rows<UsageHour> {
  /** From the row that changed longest ago to the one that changed last. */
  readonly #rows = new Map<string, Row>()
  readonly #readings = new Map<string, Reading>()
  readonly #minutes = new Map<string, Minute>()
  readonly #changed = new Set<Row>()
  #setting = { ...FIRST_SETTINGS.usage, exempt: NOBODY }
  #number = 0
  #latest = { hour: '', at: 0 }

  /** Begins one; `run` names this run of the program. */
  constructor(readonly run: string) {}

  /**
   * Counts from now on as the settings say, without the addresses that are exempt; what is there of them, and
   * where nothing is kept all, goes.
   */
  set({ kept, kilobytes }: Settings['usage'], exempt: ReadonlySet<string>): void {
    this.#setting = { kept, kilobytes, exempt }
    for (const row of this.#rows.values()) if (!this.#isKept(row.hour.mac)) this.#drop(row)
  }

  /**
   * Takes what was counted by an instant (seconds); what came since the last time belongs to its hour.
   *
   * @param networkOf the network in which an adapter is
   */
  take(
    counts: readonly AdapterCount[],
    at: number,
    zone: string,
    networkOf: (mac: string) => string | null,
  ): void {
    const hour = instantText(hourAt(at, zone))
    for (const { mac, passed, received, dropped } of counts) {
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
      const some = since.sent.packets + since.received.packets + since.dropped.packets > 0
      if (some && this.#isKept(mac))
        this.#add({ run: this.run, mac, network: networkOf(mac), hour, ...EMPTY_USE }, since, at)
    }
    for (const [mac, minute] of this.#minutes) if (minute.at < at - 60) this.#minutes.delete(mac)
    this.#forget(at)
  }

  /** What changed after a number of a run; of another run, and of `null`, all that is kept. */
  news(run: string | null, number: number): UsageNews {
    const after = run === this.run ? number : -1
    const hours = [...this.#rows.values()].filter((row) => row.number > after).map(({ hour }) => hour)
    return { run: this.run, number: this.#number, hours }
  }

  all(): UsageHour[] {
    return [...this.#rows.values()].map(({ hour }) => hour)
  }

  changes(): UsageHour[] {
    const changed = [...this.#changed].map(({ hour }) => hour)
    this.#changed.clear()
    return changed
  }

  size(): number {
    return this.#rows.size
  }

  restore(hours: readonly UsageHour[]): void {
    for (const hour of hours) if (this.#isKept(hour.mac)) this.#put(hour)
  }

  #add(none: UsageHour, since: Reading, at: number): void {
    const before = this.#rows.get(keyOf(none))?.hour ?? none
    const minutes = this.#makesActive(none.mac, since, at) ? 1 : 0
    this.#put(addTo(before, { ...since, dropped: since.dropped.packets, minutes }))
  }

  /** Whether the minute of an instant is active from now on, and was not before. */
  #makesActive(mac: string, { sent, received }: Reading, at: number): boolean {
    const start = at - (at % 60)
    const known = this.#minutes.get(mac)
    const minute = known?.at === start ? known : { at: start, sent: 0, received: 0, isCounted: false }
    this.#minutes.set(mac, minute)
    minute.sent += sent.bytes
    minute.received += received.bytes
    if (minute.isCounted || Math.max(minute.sent, minute.received) <= this.#setting.kilobytes * 1000)
      return false
    minute.isCounted = true
    return true
  }

  #put(hour: UsageHour): void {
    const key = keyOf(hour)
    const row: Row = this.#rows.get(key) ?? { key, at: this.#startOf(hour), hour, number: 0 }
    row.hour = hour
    row.number = ++this.#number
    // What changed last stands last.
    this.#rows.delete(key)
    this.#rows.set(key, row)
    this.#changed.add(row)
  }

  /** When an hour begins (seconds): mostly it is the one before. */
  #startOf({ hour }: UsageHour): number {
    if (hour !== this.#latest.hour) this.#latest = { hour, at: readInstant(hour)! }
    return this.#latest.at
  }

  /** Forgets what is too old, and what is too much: that which has not changed for longest. */
  #forget(at: number): void {
    for (const row of this.#rows.values()) {
      if (row.at >= at - KEPT && this.#rows.size <= MOST) break
      this.#drop(row)
    }
  }

  #drop(row: Row): void {
    this.#rows.delete(row.key)
    this.#changed.delete(row)
  }

  #isKept(mac: string): boolean {
    return this.#setting.kept && !this.#setting.exempt.has(mac)
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

/** What names a row. */
export const keyOf = ({ run, mac, network, hour }: UsageHour) => `${run} ${mac} ${hour} ${network ?? ''}`

/** Nothing used. */
export const EMPTY_USE = { sent: NOTHING, received: NOTHING, dropped: 0, minutes: 0 } as const

/** An hour with more use in it. */
export function addTo(
  hour: UsageHour,
  more: Pick<UsageHour, 'sent' | 'received' | 'dropped' | 'minutes'>,
): UsageHour {
  return {
    ...hour,
    sent: plus(hour.sent, more.sent),
    received: plus(hour.received, more.received),
    dropped: hour.dropped + more.dropped,
    minutes: hour.minutes + more.minutes,
  }
}

/** The instant (seconds) at which the hour of an instant begins on a zone's clock. */
export function hourAt(at: number, zone: string): number {
  return at - ((((at + offsetAt(zone, at)) % HOUR) + HOUR) % HOUR)
}

/** How an hour stands in the file of the gateway's state. */
export const USAGE_FORMAT: RowFormat<UsageHour> = {
  write: ({ run, mac, network, hour, sent, received, dropped, minutes }) => [
    run,
    mac,
    network,
    hour,
    [sent.packets, sent.bytes, received.packets, received.bytes, dropped, minutes],
  ],
  read: ([run, mac, network, hour, counts]) => {
    const areTexts = [run, mac].every((value) => typeof value === 'string')
    if (!areTexts || !isInstant(hour) || (network !== null && typeof network !== 'string')) return null
    if (!Array.isArray(counts) || counts.length !== 6 || !counts.every(isCount)) return null
    const [sentPackets, sentBytes, receivedPackets, receivedBytes, dropped, minutes] = counts as number[]
    return {
      run: run as string,
      mac: mac as string,
      network,
      hour,
      sent: { packets: sentPackets!, bytes: sentBytes! },
      received: { packets: receivedPackets!, bytes: receivedBytes! },
      dropped: dropped!,
      minutes: minutes!,
    }
  },
  keyOf,
  orderOf: ({ hour }) => hour,
}

const isCount = (value: unknown) => Number.isSafeInteger(value) && Number(value) >= 0
