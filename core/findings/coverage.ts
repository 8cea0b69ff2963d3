import { gather } from '../decision/candidate.ts'
import { blockCovers } from '../destination/address.ts'
import { hostContains, namesAbove } from '../destination/host.ts'
import { readMatched, type Gathered } from '../destination/matcher.ts'
import type { Service } from '../destination/service.ts'
import type { Policy, What } from '../policy/types.ts'

/** What a rule covers, gathered and read: perhaps everything. */
export interface Reach extends Gathered {
  readonly everything: boolean
}

/** What a rule's `what` reaches. */
export function reachOf(policy: Policy, what: What): Reach {
  return { everything: what.internet, ...readMatched(gather(policy, what)) }
}

/**
 * Whether every destination of `inner` is one of some of `outer`. True only where each single entry is
 * covered by a single entry, so a
 * "true" is proved; entries that only several others cover together are not seen.
 */
export function reachCovers(outer: readonly Reach[], inner: Reach): boolean {
  if (outer.some((reach) => reach.everything)) return true
  if (inner.everything) return false
  const some = (test: (reach: Reach) => boolean) => outer.some(test)
  return (
    [...inner.hosts].every((host) =>
      some(
        ({ hosts, keywords }) =>
          [...namesAbove(host)].some((name) => hosts.has(name)) ||
          keywords.some((keyword) => hostContains(host, keyword)),
      ),
    ) &&
    inner.blocks.every((block) => some(({ blocks }) => blocks.some((wider) => blockCovers(wider, block)))) &&
    inner.keywords.every((keyword) =>
      some(({ keywords }) => keywords.some((shorter) => keyword.includes(shorter))),
    ) &&
    inner.services.every((service) =>
      some(({ services }) => services.some((wider) => serviceCovers(wider, service))),
    )
  )
}

/** Whether a reach has nothing in it at all. */
export function isEmptyReach({ everything, hosts, blocks, keywords, services }: Reach): boolean {
  return !everything && hosts.size + blocks.length + keywords.length + services.length === 0
}

/** Whether every destination of a service is one of a wider one. */
export function serviceCovers(wider: Service, service: Service): boolean {
  return (
    wider.protocol === service.protocol &&
    (wider.towards === null || (service.towards !== null && blockCovers(wider.towards, service.towards))) &&
    service.ports.every(({ first, last }) =>
      wider.ports.some((range) => range.first <= first && last <= range.last),
    )
  )
}
