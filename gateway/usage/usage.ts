import { DAY, HOUR } from '../../core/time/duration.ts'
import { instantText, readInstant } from '../../core/time/instant.ts'
import { offsetAt } from '../../core/time/zone.ts'
import { NOTHING, plus } from '../../protocol/gateway/evidence.ts'
import { FIRST_SETTINGS, type Settings } from '../../protocol/gateway/settings.ts'
import type { UsageHour, UsageNews } from '../../protocol/gateway/usage.ts'
import { isInstant, type RowFormat, type Rows } from '../state/row-store.ts'
import type { Use } from './use-reader.ts'

/** The age at which hours are deleted here: the application may be away as long and miss nothing. */
const KEEP_SECONDS = 8 * DAY
/** The most rows: a client that makes up addresses fills no memory. */
const MAX_ROWS = 100_000

interface Row {
  readonly key: string
  readonly at: number
  hour: UsageHour
  /** The number of its last change. */
  number: number
}

const NOBODY: ReadonlySet<string> = new Set()

/**
 * Adds up what each adapter used by hour. A row belongs to one run of the
 * program, so that nothing is counted twice or lost where one begins anew.
 */
export class UsageMeter implements Rows<UsageHour> {
  /** From the row that changed longest ago to the one that changed last. */
  readonly #rows = new Map<string, Row>()
  readonly #changed = new Set<Row>()
  #setting = { kept: FIRST_SETTINGS.usage.kept, exempt: NOBODY }
  #number = 0
  #latest = { hour: '', at: 0 }

  /** Begins one; `run` names this run of the program. */
  constructor(readonly run: string) {}

  /**
   * Counts from now on as the settings say, without the addresses that are exempt; what is there of them, and
   * where nothing is kept all, goes.
   */
  set({ kept }: Settings['usage'], exempt: ReadonlySet<string>): void {
    this.#setting = { kept, exempt }
    for (const row of this.#rows.values()) if (!this.#isKept(row.hour.mac)) this.#drop(row)
  }

  /**
   * Takes what was used by an instant (seconds); it belongs to the hour of that.
   *
   * @param networkOf the network in which an adapter is
   */
  take(uses: readonly Use[], at: number, zone: string, networkOf: (mac: string) => string | null): void {
    const hour = instantText(hourAt(at, zone))
    for (const { mac, sent, received, dropped, activeMinutes } of uses) {
      if (!this.#isKept(mac)) continue
      const none = { run: this.run, mac, network: networkOf(mac), hour, ...EMPTY_USE }
      const more = { sent, received, dropped: dropped.packets, minutes: activeMinutes.length }
      this.#put(addTo(this.#rows.get(keyOf(none))?.hour ?? none, more))
    }
    this.#forget(at)
  }

  /** Returns the rows that changed after a number of a run; for another run, and for `null`, all. */
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

  #put(hour: UsageHour): void {
    const key = keyOf(hour)
    const row: Row = this.#rows.get(key) ?? { key, at: this.#startOf(hour), hour, number: 0 }
    row.hour = hour
    row.number = ++this.#number
    // The row that changed last stands last.
    this.#rows.delete(key)
    this.#rows.set(key, row)
    this.#changed.add(row)
  }

  /** Returns the begin of an hour (seconds), which mostly is the one of the last call. */
  #startOf({ hour }: UsageHour): number {
    if (hour !== this.#latest.hour) this.#latest = { hour, at: readInstant(hour)! }
    return this.#latest.at
  }

  /** Forgets what is too old, and what is too much: that which has not changed for longest. */
  #forget(at: number): void {
    for (const row of this.#rows.values()) {
      if (row.at >= at - KEEP_SECONDS && this.#rows.size <= MAX_ROWS) break
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

/** Returns the key of a row. */
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

/** The form of an hour in the file of the gateway's state. */
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
