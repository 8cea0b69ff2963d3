import prand from 'pure-rand'
import type { SimulatedDevice } from './workshop.ts'

/** Gives, at every call, the flows of one second: each connected device tries one of its habits with its own likelihood. The same seed gives the same flows. */
export function trafficOf(network: readonly SimulatedDevice[], seed: number): () => { mac: string, to: string }[] {
  const generator = prand.xoroshiro128plus(seed)
  const below = (bound: number) => prand.unsafeUniformIntDistribution(0, bound - 1, generator)
  const senders = network.filter(device => device.connected && device.habits.length > 0)
  return () => senders
    .filter(device => below(100) < device.activity)
    .map(device => ({ mac: device.mac, to: device.habits[below(device.habits.length)]! }))
}
