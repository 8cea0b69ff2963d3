import { blockCovers, readAddress, readBlock } from '../destination/address.ts'
import type { Network } from '../policy/types.ts'

/**
 * The subject of a question: a device of the policy, or the MAC address of an unknown one (the other of the
 * two is `null`), and the network in which it is (`null` = none).
 */
export interface Subject {
  readonly device: string | null
  readonly mac: string | null
  readonly network: string | null
}

/** A device of the policy, in no network. */
export const deviceSubject = (device: string): Subject => ({ device, mac: null, network: null })

/** Every unknown device that no override names by its address. */
export const ANY_NEWCOMER: Subject = { device: null, mac: null, network: null }

/**
 * The position of a device on the local network: the gateway's interface (`null` = unknown), and source
 * addresses.
 */
export interface Whereabouts {
  readonly interface: string | null
  readonly addresses: readonly string[]
}

/**
 * The network that somebody is in: the first whose given conditions are all met, its interface and a source
 * address in a subnet.
 *
 * @returns its id, or `null` where none fits
 * @example networkOf([{ id: 'guest', interfaces: ['br-guest'], subnets: [] }], { interface: 'br-guest', addresses: [] }) // 'guest'
 */
export function networkOf(networks: readonly Network[], where: Whereabouts): string | null {
  const addresses = where.addresses.flatMap((text) => readAddress(text) ?? [])
  const fits = ({ interfaces, subnets }: Network) => {
    if (interfaces.length > 0 && (where.interface === null || !interfaces.includes(where.interface)))
      return false
    if (subnets.length === 0) return true
    const blocks = subnets.map((subnet) => readBlock(subnet)!)
    return addresses.some((address) => blocks.some((block) => blockCovers(block, address)))
  }
  return networks.find(fits)?.id ?? null
}
