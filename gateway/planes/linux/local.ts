import { BlockList, isIPv6 } from 'node:net'
import equal from 'fast-deep-equal'
import type { LanInterface } from '../../../protocol/gateway/gateway.ts'

/** A line of `ip -j addr` (ip-address(8)). */
interface Link {
  readonly ifname?: string
  readonly addr_info?: readonly {
    readonly family: string
    readonly local: string
    readonly prefixlen: number
    readonly scope?: string
  }[]
}

/**
 * Names that are nobody's on the internet: what stands under them may lead to the local network (RFC 6762,
 * RFC 8375; internal, and what routers use).
 */
const OWN = ['home.arpa', 'internal', 'intranet', 'lan', 'local', 'localdomain', 'localhost']

/** The addresses of this network and of this machine, to which no outside name may lead. */
export interface LocalAddresses {
  /**
   * Takes in what `ip -j addr` prints.
   *
   * @returns whether the interfaces of the local network have other addresses now
   */
  read(text: string): boolean
  /** The interfaces of the local network with their addresses, as far as they are there. */
  interfaces(): readonly LanInterface[]
  /** Whether a name from outside leads to one of them; names under one of `allowed` may. */
  isRefused(name: string, addresses: readonly string[], allowed: readonly string[]): boolean
}

/** Knows loopback, link-local and unspecified addresses from the beginning (RFC 6890). */
export function localAddresses(lans: readonly string[]): LocalAddresses {
  let blocked = fixed()
  let interfaces: readonly LanInterface[] = []
  return {
    interfaces: () => interfaces,
    read: (text) => {
      blocked = fixed()
      const before = interfaces
      const links = JSON.parse(text || '[]') as Link[]
      interfaces = links.flatMap(({ ifname, addr_info: all = [] }) => {
        const isLan = ifname !== undefined && lans.includes(ifname)
        for (const { family, local, prefixlen } of all) {
          const type = family === 'inet6' ? 'ipv6' : 'ipv4'
          if (isLan) blocked.addSubnet(local, prefixlen, type)
          else blocked.addAddress(local, type)
        }
        const told = all.filter(({ scope }) => scope !== 'link')
        return isLan
          ? [{ name: ifname, addresses: told.map(({ local, prefixlen }) => `${local}/${prefixlen}`) }]
          : []
      })
      return !equal(interfaces, before)
    },
    isRefused: (name, addresses, allowed) => {
      if (!name.includes('.') || [...OWN, ...allowed].some((own) => name === own || name.endsWith(`.${own}`)))
        return false
      return addresses.some((address) => blocked.check(address, isIPv6(address) ? 'ipv6' : 'ipv4'))
    },
  }
}

function fixed(): BlockList {
  const list = new BlockList()
  for (const [net, prefix] of [
    ['127.0.0.0', 8],
    ['0.0.0.0', 8],
    ['169.254.0.0', 16],
  ] as const)
    list.addSubnet(net, prefix, 'ipv4')
  list.addSubnet('fe80::', 10, 'ipv6')
  for (const address of ['::1', '::']) list.addAddress(address, 'ipv6')
  return list
}
