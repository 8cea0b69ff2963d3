import { blockCovers, type Block } from './address.ts'
import type { Destination } from './destination.ts'
import { hostContains, namesAbove, readKeyword } from './host.ts'
import { readService, type Service } from './service.ts'
import { readSite } from './site.ts'

/** Texts of a policy that was read: the parts of a `what`, its lists, apps and categories already gathered. */
export interface Matched { readonly sites: readonly string[], readonly keywords: readonly string[], readonly services: readonly string[] }

/** Whether a destination is among what was gathered. */
export type Matcher = (destination: Destination) => boolean

/** Builds the matcher of sites, keywords and services. A look-up costs a set probe per label, and a pass over blocks, keywords and services. */
export function matcherOf({ sites, keywords, services }: Matched): Matcher {
  const read = sites.map(site => readSite(site)!)
  const hosts = new Set(read.flatMap(site => 'host' in site ? [site.host] : []))
  const blocks = read.flatMap(site => 'block' in site ? [site.block] : [])
  const words = keywords.map(keyword => readKeyword(keyword)!)
  const ports = services.map(service => readService(service)!)
  return destination => matchesHost(destination.host, hosts, words)
    || matchesBlock(destination.address, blocks)
    || ports.some(service => matchesService(destination, service))
}

function matchesHost(host: string | null, hosts: ReadonlySet<string>, words: readonly string[]): boolean {
  if (host === null) return false
  for (const name of namesAbove(host)) if (hosts.has(name)) return true
  return words.some(word => hostContains(host, word))
}

function matchesBlock(address: Block | null, blocks: readonly Block[]): boolean {
  return address !== null && blocks.some(block => blockCovers(block, address))
}

function matchesService({ protocol, port, address }: Destination, service: Service): boolean {
  if (protocol !== service.protocol || port === null) return false
  if (!service.ports.some(({ first, last }) => first <= port && port <= last)) return false
  return service.towards === null || (address !== null && blockCovers(service.towards, address))
}
