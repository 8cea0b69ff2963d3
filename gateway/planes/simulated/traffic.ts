import { HOUR } from '../../../core/time/duration.ts'
import prand from 'pure-rand'
import type { SimulatedDevice } from './workshop.ts'

/** Whether a device is connected in a second, counted from the start. */
export function isThere({ connected, stays }: SimulatedDevice, second: number): boolean {
  return connected && (!stays || stays.some(({ from, until }) => from <= second && second < until))
}

/** The hours of the made-up past. */
const PAST = 7 * 24

/**
 * Returns the tries of a network in the seven days before an instant (seconds): by day more than by night,
 * each try with its own instant, in their order. An hour's tries depend on the seed and the hour alone, so
 * that a plane that starts again makes up the same ones.
 */
export function pastOf(
  network: readonly SimulatedDevice[],
  seed: number,
  until: number,
): { mac: string; to: string; at: number }[] {
  const thisHour = Math.floor(until / HOUR)
  return Array.from({ length: PAST }, (_, index) => thisHour - PAST + index)
    .flatMap((hour) => {
      const generator = prand.xoroshiro128plus(seed * 1_000_003 + hour)
      const below = (bound: number) => prand.unsafeUniformIntDistribution(0, bound - 1, generator)
      const awake = hour % 24 >= 7 && hour % 24 < 22
      const hoursAgo = thisHour - hour
      return network
        .filter((device) => device.habits.length > 0)
        .flatMap((device) => {
          const tries = Array.from({ length: awake ? 3 : 1 }, () => ({
            mac: device.mac,
            to: device.habits[below(device.habits.length)]!,
            at: hour * HOUR + below(HOUR),
          }))
          const known =
            hoursAgo <= device.knownForDays * 24 && hoursAgo >= device.awayForDays * 24 && !device.stays
          return known && below(100) < device.activity * 2 ? tries : []
        })
    })
    .sort((a, b) => a.at - b.at)
}

/**
 * Gives the flows of one second, counted from the start: each connected device tries one of its habits with
 * its own likelihood. The same seed gives the same flows.
 */
export function trafficOf(
  network: readonly SimulatedDevice[],
  seed: number,
): (second: number) => { mac: string; to: string }[] {
  const generator = prand.xoroshiro128plus(seed)
  const below = (bound: number) => prand.unsafeUniformIntDistribution(0, bound - 1, generator)
  const senders = network.filter((device) => device.connected && device.habits.length > 0)
  return (second) =>
    senders
      .filter((device) => isThere(device, second) && below(100) < device.activity)
      .map((device) => ({ mac: device.mac, to: device.habits[below(device.habits.length)]! }))
}
