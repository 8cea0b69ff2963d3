import { isIPv4, isIPv6 } from 'node:net'
import { networkInterfaces } from 'node:os'
import equal from 'fast-deep-equal'
import { blockCovers, readAddress, readBlock } from '../../../../core/destination/address.ts'
import type { LanInterface } from '../../../../protocol/gateway/gateway.ts'
import type { Lead } from '../table/lead-setting.ts'
import { shownPrefixes } from '../table/lead.ts'
import { ToolFault, type RouterSystem } from '../system.ts'

/** The surroundings of a lead watch. */
export interface LeadWatchParts extends Pick<Lead, 'alone' | 'upstreams'> {
  readonly system: RouterSystem
  readonly lans: readonly string[]
  /** The interfaces of the local network, as they were seen last. */
  readonly interfaces: () => readonly LanInterface[]
  /** Returns the MAC address that has an IP address of the local network; `null` = not known. */
  readonly macOf: (address: string) => string | null
  /** From what it follows under which addresses who asks is shown. */
  readonly secret: () => string
}

/** Follows the addresses by which look-ups are led to this machine, where the router is another. */
export class LeadWatch {
  #lead: Lead | null = null

  /** Leads none yet. */
  constructor(private readonly parts: LeadWatchParts) {}

  /** Returns the way by which look-ups are led here; `null` where this machine is the router. */
  get lead(): Lead | null {
    return this.#lead
  }

  /**
   * Finds under which address the router sees this machine, and its networks.
   *
   * @returns whether look-ups are to be led another way now
   * @throws ToolFault where they cannot be led here
   * @throws AwayFault
   */
  async find(): Promise<boolean> {
    const { system, lans, interfaces, alone, upstreams, macOf, secret } = this.parts
    const seen = await system.controller()
    if (seen === null) return false
    const networks = interfaces().flatMap(({ addresses }) =>
      addresses.flatMap((text) => readBlock(text) ?? []),
    )
    const isIn = (text: string) => {
      const address = readAddress(text)
      return address !== null && networks.some((network) => blockCovers(network, address))
    }
    const own = [
      seen,
      ...Object.values(networkInterfaces()).flatMap((all) => all!.map(({ address }) => address)),
    ]
    const to = {
      4: own.find((address) => isIPv4(address) && isIn(address)),
      6: own.find((address) => isIPv6(address) && isIn(address)),
    }
    if (!isIn(seen))
      throw new ToolFault(
        `The router sees this machine as ${seen}, which is not in its local network (${lans.join(', ')}): look-ups cannot be led here.`,
      )
    const mac = [to[4], to[6]].flatMap((address) => (address && macOf(address)) ?? [])[0] ?? null
    const next: Lead = { to, mac, prefixes: shownPrefixes(interfaces(), secret()), alone, upstreams }
    const isOther = !equal(factsOf(next), this.#lead && factsOf(this.#lead))
    this.#lead = next
    return isOther
  }
}

/** Returns the parts of a lead that may change. */
const factsOf = ({ to, mac, prefixes }: Lead) => [
  to[4],
  to[6],
  mac,
  ...prefixes.map(({ own, shown }) => `${own.text} ${shown.text}`),
]
