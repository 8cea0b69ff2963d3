import { gather } from '../decision/candidate.ts'
import { blockCovers } from '../destination/address.ts'
import { hostContains, namesAbove } from '../destination/host.ts'
import { readMatched, type Gathered } from '../destination/matcher.ts'
import type { Service } from '../destination/service.ts'
import type { Policy, What } from '../policy/types.ts'

/** The coverage of a rule, gathered and read: perhaps everything. */
export interface Reach extends Gathered {
  readonly everything: boolean
}

/** Returns the reach of a rule's `what`. */
export function reachOf(policy: Policy, what: What): Reach {
  return { everything: what.internet, ...readMatched(gather(policy, what)) }
}

/**
 * Says of sets of reaches whether they cover one reach together. Each entry must be covered by a single entry
 * of one of them, so a "true" is proved; entries that only several others cover together are not seen. Every
 * entry of the reach is held against the others once, however many sets are asked about.
 */
export class Coverage {
  /** For the entries that were looked at, which reaches cover them, as masks; each mask once. */
  readonly #known = new Set<bigint>()
  readonly #rest: Iterator<bigint>

  /** Says of sets of `outer`, whose lowest bit stands for the first, whether they cover `inner`. */
  constructor(outer: readonly Reach[], inner: Reach) {
    this.#rest = coveringOfEach(outer, inner)
  }

  /** Whether the reaches of a set cover every destination of the reach. */
  isBy(set: bigint): boolean {
    for (const mask of this.#known) if ((mask & set) === 0n) return false
    for (;;) {
      const { done, value } = this.#rest.next()
      if (done) return true
      this.#known.add(value)
      if ((value & set) === 0n) return false
    }
  }
}

/** For each entry of `inner`, which of the outer reaches cover it, as a mask. */
function* coveringOfEach(outer: readonly Reach[], inner: Reach): Generator<bigint, undefined> {
  const covering = (test: (reach: Reach) => boolean) =>
    outer.reduce(
      (mask, reach, index) => (reach.everything || test(reach) ? mask | (1n << BigInt(index)) : mask),
      0n,
    )
  if (inner.everything) return void (yield covering(() => false))
  for (const service of inner.services)
    yield covering(({ services }) => services.some((wider) => serviceCovers(wider, service)))
  for (const block of inner.blocks)
    yield covering(({ blocks }) => blocks.some((wider) => blockCovers(wider, block)))
  for (const keyword of inner.keywords)
    yield covering(({ keywords }) => keywords.some((shorter) => keyword.includes(shorter)))
  for (const host of inner.hosts) {
    const names = [...namesAbove(host)]
    yield covering(
      ({ hosts, keywords }) =>
        names.some((name) => hosts.has(name)) || keywords.some((keyword) => hostContains(host, keyword)),
    )
  }
}

/** Whether an entry of one of two reaches lies in the other. */
export function reachesOverlap(one: Reach, other: Reach): boolean {
  return hasEntryIn(one, other) || hasEntryIn(other, one)
}

function hasEntryIn(inner: Reach, outer: Reach): boolean {
  for (const mask of coveringOfEach([outer], inner)) if (mask !== 0n) return true
  return false
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
