import { instantText } from '../../../core/time/instant.ts'
import type { Effect } from '../../../core/policy/types.ts'
import type { UsageHour } from '../../../protocol/gateway/usage.ts'
import { addTo, EMPTY_USE, hourAt, keyOf } from '../../usage/usage.ts'

/** One try of the made-up past, with what became of it. */
export interface PastTry {
  readonly mac: string
  readonly network: string | null
  readonly to: string
  readonly at: number
  readonly effect: Effect
}

/** The bytes that come in a minute of such use, and those that go out for each that comes. */
const A_MINUTE = 400_000
const SENT_SHARE = 0.08
const PACKET = 900

/**
 * Returns the usage of a made-up past by hour: each try that passed was some minutes of use, as its place and
 * instant have it, each that was blocked a few packets.
 */
export function pastUse(tries: readonly PastTry[], zone: string): UsageHour[] {
  const hours = new Map<string, UsageHour>()
  for (const { mac, network, to, at, effect } of tries) {
    const none = { run: 'past', mac, network, hour: instantText(hourAt(at, zone)), ...EMPTY_USE }
    const before = hours.get(keyOf(none)) ?? none
    const minutes = effect === 'allow' ? Math.min(60 - before.minutes, 3 + ((at + to.length * 7) % 17)) : 0
    const received = minutes * A_MINUTE * (1 + ((at * 13) % 5))
    const sent = received * SENT_SHARE
    const countOf = (bytes: number) => ({ packets: Math.ceil(bytes / PACKET), bytes: Math.ceil(bytes) })
    hours.set(
      keyOf(none),
      addTo(before, {
        sent: countOf(sent),
        received: countOf(received),
        dropped: effect === 'block' ? 2 : 0,
        minutes,
      }),
    )
  }
  return [...hours.values()]
}
