import { blockCovers, type Block } from '../destination/address.ts'
import { hostContains, namesAbove } from '../destination/host.ts'
import { readService, type Service } from '../destination/service.ts'
import { readSite } from '../destination/site.ts'
import type { Policy, What } from '../policy/types.ts'

/** What a rule speaks of, gathered and read: whether everything, or names, blocks, keywords and services. */
export interface Reach {
  readonly everything: boolean
  readonly hosts: ReadonlySet<string>
  readonly blocks: readonly Block[]
  readonly keywords: readonly string[]
  readonly services: readonly Service[]
}

/** What a rule's `what` reaches, its lists, apps and categories gathered. */
export function reachOf(policy: Policy, what: What): Reach {
  const apps = policy.apps.filter(app => what.apps.includes(app.id) || what.categories.includes(app.category))
  const lists = policy.siteLists.filter(list => what.siteLists.includes(list.id))
  const sites = [...what.sites, ...lists.flatMap(list => list.entries), ...apps.flatMap(app => app.sites)].map(site => readSite(site)!)
  return {
    everything: what.internet,
    hosts: new Set(sites.flatMap(site => 'host' in site ? [site.host] : [])),
    blocks: sites.flatMap(site => 'block' in site ? [site.block] : []),
    keywords: what.keywords,
    services: [...what.services, ...apps.flatMap(app => app.services)].map(service => readService(service)!),
  }
}

/**
 * Whether every destination of `inner` is one of some of `outer`. True only where each single entry is covered by a single entry, so a
 * "true" is proved; entries that only several others cover together are not seen.
 */
export function reachCovers(outer: readonly Reach[], inner: Reach): boolean {
  if (outer.some(reach => reach.everything)) return true
  if (inner.everything) return false
  const some = (test: (reach: Reach) => boolean) => outer.some(test)
  return [...inner.hosts].every(host => some(({ hosts, keywords }) => [...namesAbove(host)].some(name => hosts.has(name)) || keywords.some(keyword => hostContains(host, keyword))))
    && inner.blocks.every(block => some(({ blocks }) => blocks.some(wider => blockCovers(wider, block))))
    && inner.keywords.every(keyword => some(({ keywords }) => keywords.some(shorter => keyword.includes(shorter))))
    && inner.services.every(service => some(({ services }) => services.some(wider => serviceCovers(wider, service))))
}

/** Whether a reach has nothing in it at all. */
export function isEmptyReach({ everything, hosts, blocks, keywords, services }: Reach): boolean {
  return !everything && hosts.size + blocks.length + keywords.length + services.length === 0
}

function serviceCovers(wider: Service, service: Service): boolean {
  return wider.protocol === service.protocol
    && (wider.towards === null || (service.towards !== null && blockCovers(wider.towards, service.towards)))
    && service.ports.every(({ first, last }) => wider.ports.some(range => range.first <= first && last <= range.last))
}
