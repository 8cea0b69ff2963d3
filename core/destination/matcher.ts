import { blockCovers, type Block } from './address.ts'
import type { Destination } from './destination.ts'
import { hostContains, readKeyword } from './host.ts'
import { nameSet, packNames, type NameSet, type PackedNames } from './name-set.ts'
import { readService, type Service } from './service.ts'
import { readSite } from './site.ts'

/**
 * Texts of a policy that was read: the parts of a `what`, its lists, apps and categories already gathered.
 */
export interface Matched {
  readonly sites: readonly string[]
  readonly keywords: readonly string[]
  readonly services: readonly string[]
}

/** The same, read: names that stand for every name under them, blocks, keywords, services. */
export interface Gathered {
  readonly hosts: ReadonlySet<string>
  readonly blocks: readonly Block[]
  readonly keywords: readonly string[]
  readonly services: readonly Service[]
}

/** Reads what was gathered; the texts are those of a policy that was read, so none can fail. */
export function readMatched({ sites, keywords, services }: Matched): Gathered {
  const { hosts, blocks } = readSites(sites)
  return {
    hosts: new Set(hosts),
    blocks,
    keywords: keywords.map((keyword) => readKeyword(keyword)!),
    services: services.map((service) => readService(service)!),
  }
}

/** Sites in a form that threads can share. */
export interface PackedSites {
  readonly names: PackedNames
  readonly blocks: readonly Block[]
}

/** Sites made ready to be looked up. */
export interface SiteSet {
  readonly packed: PackedSites
  readonly has: NameSet
  readonly hasNames: boolean
  readonly blocks: readonly Block[]
}

const ofLists = new WeakMap<readonly string[], SiteSet>()

/** A list of sites, made ready once for the same list: it may hold a million names. */
export function siteSetOf(entries: readonly string[]): SiteSet {
  return ofLists.get(entries) ?? giveSites(entries, packSites(entries))
}

/** Packs a list of sites. */
export function packSites(entries: readonly string[]): PackedSites {
  const { hosts, blocks } = readSites(entries)
  return { names: packNames(hosts), blocks }
}

/** Says what a list holds that was made ready elsewhere: its own texts are not asked for then. */
export function giveSites(entries: readonly string[], packed: PackedSites): SiteSet {
  const { names, blocks } = packed
  const set = { packed, has: nameSet(names), hasNames: names.count > 0, blocks }
  ofLists.set(entries, set)
  return set
}

function readSites(sites: readonly string[]): {
  readonly hosts: readonly string[]
  readonly blocks: readonly Block[]
} {
  const hosts: string[] = []
  const blocks: Block[] = []
  for (const text of sites) {
    const site = readSite(text)!
    if ('host' in site) hosts.push(site.host)
    else blocks.push(site.block)
  }
  return { hosts, blocks }
}

/** Whether a destination is among what was gathered. */
export type Matcher = (destination: Destination) => boolean

/**
 * Builds the matcher of sites, keywords and services. A look-up costs a probe per label, and a pass over
 * blocks, keywords and services; written as loops, since a closure for each of a resolver’s look-ups would be
 * most of what they leave to be collected.
 */
export function matcherOf(matched: Matched): Matcher {
  return matcherOver(
    siteSetOf(matched.sites),
    matched.keywords.map((keyword) => readKeyword(keyword)!),
    matched.services.map((service) => readService(service)!),
  )
}

/** The matcher of a list of sites. */
export function matcherOfList(entries: readonly string[]): Matcher {
  return matcherOver(siteSetOf(entries), [], [])
}

function matcherOver(
  { has, blocks }: SiteSet,
  keywords: readonly string[],
  services: readonly Service[],
): Matcher {
  return (destination) => {
    const { host, address } = destination
    if (host !== null && has(host) !== null) return true
    if (host !== null) for (const word of keywords) if (hostContains(host, word)) return true
    if (address !== null) for (const block of blocks) if (blockCovers(block, address)) return true
    for (const service of services) if (matchesService(destination, service)) return true
    return false
  }
}

function matchesService({ protocol, port, address }: Destination, service: Service): boolean {
  if (protocol !== service.protocol || port === null) return false
  if (!service.ports.some(({ first, last }) => first <= port && port <= last)) return false
  return service.towards === null || (address !== null && blockCovers(service.towards, address))
}
