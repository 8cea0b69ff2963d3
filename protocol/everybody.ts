import { subjectOfMac, type Compiled } from '../core/decision/compile.ts'
import { networkOf, type Subject } from '../core/decision/subject.ts'
import type { Device, Network, Policy } from '../core/policy/types.ts'
import type { Sighting } from './gateway/gateway.ts'

/**
 * A device as it is named, or an address that belongs to nobody (`device` = null), and who it is to the
 * live policy.
 */
export interface OnNetwork {
  readonly key: string
  readonly name: string
  readonly device: Device | null
  readonly subject: Subject
  readonly macs: readonly string[]
  /** The network in which it was seen last; `null` = none with a name, or never. */
  readonly network: Network | null
}

/**
 * Everybody on the network: the draft's devices, those that are live still but gone from it, and every
 * connected address that belongs to nobody. A device that the live policy does not know counts as an unknown
 * one still.
 */
export function everybody(
  draft: Pick<Policy, 'devices'>,
  live: Compiled,
  sightings: readonly Sighting[],
): OnNetwork[] {
  const kept = new Set(draft.devices.map(({ id }) => id))
  const devices = [...draft.devices, ...live.policy.devices.filter(({ id }) => !kept.has(id))]
  const known = new Set(devices.flatMap((device) => device.adapters.map(({ mac }) => mac)))
  const networkFor = networkFinder(live.policy, sightings)
  return [
    ...devices.map((device): OnNetwork => {
      const macs = device.adapters.map(({ mac }) => mac)
      const network = networkFor(macs)
      const subject = live.includes.has(device.id)
        ? { device: device.id, mac: null, network: network?.id ?? null }
        : subjectOfMac(live, macs[0] ?? '', network?.id)
      return { key: device.id, name: device.name, device, subject, macs, network }
    }),
    ...sightings
      .filter(({ mac, connected }) => connected && !known.has(mac))
      .map(({ mac, hostName }): OnNetwork => {
        const network = networkFor([mac])
        const subject = { device: null, mac, network: network?.id ?? null }
        return { key: mac, name: hostName ?? mac, device: null, subject, macs: [mac], network }
      }),
  ]
}

/**
 * The network in which each address was seen last, connected ones before others; empty where there are
 * none.
 */
export function networksOf(
  { networks }: Pick<Policy, 'networks'>,
  sightings: readonly Sighting[],
): ReadonlyMap<string, string | null> {
  if (networks.length === 0) return new Map()
  const seen = [...sightings].sort(
    (a, b) => Number(b.connected) - Number(a.connected) || b.lastSeen.localeCompare(a.lastSeen),
  )
  return new Map(seen.map((sighting) => [sighting.mac, networkOf(networks, sighting)]))
}

/**
 * Finds the network in which one of somebody's addresses was seen last; `null` = none with a name, or
 * never.
 */
export function networkFinder(
  policy: Pick<Policy, 'networks'>,
  sightings: readonly Sighting[],
): (macs: readonly string[]) => Network | null {
  const places = networksOf(policy, sightings)
  const order = new Map([...places.keys()].map((mac, index) => [mac, index]))
  const byId = new Map(policy.networks.map((network) => [network.id, network]))
  return (macs) => {
    const [latest] = macs.filter((mac) => order.has(mac)).sort((a, b) => order.get(a)! - order.get(b)!)
    return byId.get(places.get(latest ?? '') ?? '') ?? null
  }
}
