import prand from 'pure-rand'
import type { SimulatedDevice } from './workshop.ts'

/** Whether a device is connected in a second, counted from the start. */
export function isThere({ connected, stays }: SimulatedDevice, second: number): boolean {
  return connected && (!stays || stays.some(({ from, until }) => from <= second && second < until))
}

/** Gives the flows of one second, counted from the start: each connected device tries one of its habits with its own likelihood. The same seed gives the same flows. */
export function trafficOf(network: readonly SimulatedDevice[], seed: number): (second: number) => { mac: string, to: string }[] {
  const generator = prand.xoroshiro128plus(seed)
  const below = (bound: number) => prand.unsafeUniformIntDistribution(0, bound - 1, generator)
  const senders = network.filter(device => device.connected && device.habits.length > 0)
  return second => senders
    .filter(device => isThere(device, second) && below(100) < device.activity)
    .map(device => ({ mac: device.mac, to: device.habits[below(device.habits.length)]! }))
}
