import { getDomain, getDomainWithoutSuffix } from 'tldts'
import { hostContains } from '../destination/host.ts'
import type { Destination } from '../destination/destination.ts'
import { matcherOf, type Matcher } from '../destination/matcher.ts'

/** A host name (ASCII form) that was looked up on the network: by how many adapters, and how often. */
export interface SeenName {
  readonly name: string
  readonly adapters: number
  readonly tries: number
}

/**
 * The seen names that an app or a category covers, and names that look as if they belonged to it but are
 * not caught.
 */
export interface Coverage<N extends SeenName> {
  readonly caught: readonly N[]
  readonly similar: readonly {
    readonly seen: N
    readonly because: { readonly kind: 'domain' | 'word'; readonly what: string }
  }[]
}

/** The shortest word that makes two names similar. */
const WORD = 4

/**
 * Compares sites with the names seen. Similar is a name in the same registrable domain as a site (Public
 * Suffix List, without its private part), or one whose registrable
 * label contains that of a site, or a label of the apps, of four letters or more.
 */
export function coverageOf<N extends SeenName>(
  apps: readonly { readonly name: string; readonly sites: readonly string[] }[],
  names: readonly N[],
): Coverage<N> {
  const sites = apps.flatMap((app) => app.sites)
  const matches = siteMatcher(sites)
  const domains = new Set(sites.flatMap((site) => domainOf(site) ?? []))
  const words = [
    ...new Set([
      ...sites.flatMap((site) => labelOf(site) ?? []),
      ...apps.map(({ name }) => name.toLowerCase().replace(/[^a-z0-9]/g, '')),
    ]),
  ].filter((word) => word.length >= WORD)
  const caught = names.filter(({ name }) => matches(named(name)))
  const known = new Set<N>(caught)
  const similar = names.flatMap((seen): Coverage<N>['similar'] => {
    if (known.has(seen)) return []
    const domain = domainOf(seen.name)
    if (domain && domains.has(domain)) return [{ seen, because: { kind: 'domain', what: domain } }]
    const label = labelOf(seen.name)
    const word = label && words.find((one) => label.includes(one))
    return word ? [{ seen, because: { kind: 'word', what: word } }] : []
  })
  return { caught: often(caught), similar }
}

/**
 * The names seen that a keyword catches, most often first; `unlisted` are those of them that no list and no
 * app has, which is where it may catch too much.
 */
export function keywordCatches<N extends SeenName>(
  keyword: string,
  names: readonly N[],
  listed: (name: string) => boolean,
): { caught: N[]; unlisted: N[] } {
  const caught = often(names.filter(({ name }) => hostContains(name, keyword)))
  return { caught, unlisted: caught.filter(({ name }) => !listed(name)) }
}

/**
 * Whether any of these sites covers a host name.
 *
 * @example siteCovers(['reelbrook.example'])('cdn.reelbrook.example') // true
 */
export function siteCovers(sites: readonly string[]): (name: string) => boolean {
  const matches = siteMatcher(sites)
  return (name) => matches(named(name))
}

/**
 * The registrable domain of a host name, the name itself where it has none; `null` for an address.
 *
 * @example domainOf('cdn.reelbrook.example') // 'reelbrook.example'
 */
export function domainOf(site: string): string | null {
  if (/[:/]|^[\d.]+$/.test(site)) return null
  return getDomain(site, { allowPrivateDomains: false }) ?? site
}

function labelOf(site: string): string | null {
  return domainOf(site) && getDomainWithoutSuffix(site, { allowPrivateDomains: false })
}

const siteMatcher = (sites: readonly string[]): Matcher => matcherOf({ sites, keywords: [], services: [] })
const named = (host: string): Destination => ({ host, address: null, protocol: null, port: null })
const often = <N extends SeenName>(names: readonly N[]): N[] =>
  names.toSorted((a, b) => b.tries - a.tries || a.name.localeCompare(b.name))
