import { HOUR } from '../../core/time/duration.ts'
import type { Policy } from '../../core/policy/types.ts'
import type { LanInterface, Sighting } from '../../protocol/gateway/gateway.ts'

/** The seconds for which a guest's device is allowed unless somebody says otherwise. */
export const GUEST_STAYS = 4 * HOUR

/** An interface of the gateway that no network names, what it may be called, and how many are behind it. */
export interface FoundNetwork extends LanInterface {
  readonly suggested: string
  readonly connected: number
}

/** The usual purposes of interfaces; their names are suggested in this order. */
const KINDS: readonly (readonly [RegExp, string])[] = [
  [/guest|visitor/i, 'Guest Wi-Fi'],
  [/iot|things|smart/i, 'Smart home'],
  [/office|work/i, 'Office'],
  [/lan|^br|^eth|^en/i, 'Main network'],
]

/** The interfaces of the gateway that no network of the draft names, each with a name that is free. */
export function foundNetworks(
  { networks }: Pick<Policy, 'networks'>,
  interfaces: readonly LanInterface[],
  sightings: readonly Sighting[],
): FoundNetwork[] {
  const named = new Set(networks.flatMap((network) => network.interfaces))
  const taken = new Set(networks.map(({ name }) => name))
  return interfaces
    .filter(({ name }) => !named.has(name))
    .map((one) => {
      const likely = KINDS.find(([pattern]) => pattern.test(one.name))?.[1] ?? one.name
      const suggested = taken.has(likely) ? one.name : likely
      taken.add(suggested)
      const connected = sightings.filter((seen) => seen.connected && seen.interface === one.name).length
      return { ...one, suggested, connected }
    })
}
