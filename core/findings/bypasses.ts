import { mayChange } from '../destination/mac.ts'
import { readService } from '../destination/service.ts'
import type { DeviceKind, Policy, Rule } from '../policy/types.ts'
import { serviceCovers, type Reach } from './coverage.ts'
import { bitsOf, maskWhere, type Situations } from './situations.ts'

/** A way around what is closed. `first` is the instant (seconds) at which it would first be of use. */
export type BypassFinding =
  /**
   * Devices on Wi-Fi whose address may be a random one: with another they would be newcomers, who are not
   * blocked when these are.
   */
  | { readonly kind: 'slips-by-address'; readonly devices: readonly string[]; readonly first: number }
  /**
   * Rules that close names, while services by which names are resolved or passed by in secret stay open to
   * those whom they meet.
   */
  | {
      readonly kind: 'slips-by-service'
      readonly rules: readonly string[]
      readonly services: readonly string[]
      readonly first: number
    }
  /**
   * A network that rules block, told by IP addresses alone (`isIPv4` = of IPv4 alone): with another address a
   * device is in no network.
   */
  | {
      readonly kind: 'slips-from-network'
      readonly network: string
      readonly rules: readonly string[]
      readonly isIPv4: boolean
    }
  /** The device that somebody uses right now to edit the policy is blocked at times. */
  | { readonly kind: 'own-machine'; readonly device: string; readonly first: number }

/**
 * Services that carry names or whole connections past a filter of names: DNS over TLS and QUIC (RFC 7858,
 * 9250), IPsec (RFC 7296), L2TP (RFC 2661), PPTP (RFC 2637), SOCKS (RFC 1928).
 */
export const WAYS_AROUND = ['tcp/853', 'udp/853', 'udp/500,4500', 'udp/1701', 'tcp/1723', 'tcp/1080'] as const

/** The kinds of devices that change their address by themselves: those that are carried about. */
const CHANGING: readonly DeviceKind[] = ['phone', 'tablet', 'laptop', 'reader', 'watch']

/**
 * Situations that are alike in some rules: the mask of these, and every mask that has it, with what belongs to
 * it, in their order.
 */
interface Alike<T> {
  readonly key: bigint
  readonly all: readonly (readonly [mask: bigint, of: T])[]
  readonly union: bigint
}

/**
 * The ways around a policy; `rules` are the enabled ones, as the masks of the situations count them, with what
 * each reaches. `own` are the addresses of the machine in use.
 */
export function bypassFindings(
  policy: Policy,
  rules: readonly Rule[],
  reaches: readonly Reach[],
  situations: Situations,
  own: readonly string[],
): BypassFinding[] {
  const internet = maskWhere(rules, ({ what }) => what.internet)
  const blocks = maskWhere(rules, ({ effect }) => effect === 'block')
  const times = alike([...situations.times], internet)
  // The first clause on the internet says whether a device is blocked.
  const isBlocked = (situation: bigint) => (lowest(situation & internet) & blocks) !== 0n
  const known = new Map<string, number | null>()
  /** Returns the first time at which a device is blocked while another, `unless`, is not. */
  const firstBlocked = (who: bigint, unless = 0n): number | null => {
    const key = `${who & internet} ${unless & internet}`
    if (!known.has(key))
      known.set(
        key,
        times.find((time) => isBlocked(who & time.key) && !isBlocked(unless & time.key))?.all[0]![1] ?? null,
      )
    return known.get(key)!
  }
  return [
    ...byAddress(policy, situations, firstBlocked),
    ...byService(rules, reaches, situations, internet),
    ...fromNetworks(policy, rules),
    ...policy.devices.flatMap(({ id, adapters }): BypassFinding[] => {
      const first = adapters.some(({ mac }) => own.includes(mac))
        ? firstBlocked(situations.people.get(id)!)
        : null
      return first === null ? [] : [{ kind: 'own-machine', device: id, first }]
    }),
  ]
}

function byAddress(
  { devices }: Policy,
  { people }: Situations,
  firstBlocked: (who: bigint, unless: bigint) => number | null,
): BypassFinding[] {
  const newcomers = people.get('')!
  const slipping = devices.flatMap(({ id, kind, adapters, shielded }) => {
    const changing =
      !shielded &&
      CHANGING.includes(kind) &&
      adapters.some(({ mac, medium }) => medium === 'wifi' && mayChange(mac))
    const first = changing ? firstBlocked(people.get(id)!, newcomers) : null
    return first === null ? [] : [{ id, first }]
  })
  return slipping.length === 0
    ? []
    : [
        {
          kind: 'slips-by-address',
          devices: slipping.map(({ id }) => id),
          first: Math.min(...slipping.map(({ first }) => first)),
        },
      ]
}

function byService(
  rules: readonly Rule[],
  reaches: readonly Reach[],
  situations: Situations,
  internet: bigint,
): BypassFinding[] {
  // For each way the rules that cover it as a whole, and for each rule whether it closes names.
  const ways = WAYS_AROUND.map((text) => readService(text)!).map((service) =>
    maskWhere(
      rules,
      (_, index) =>
        reaches[index]!.everything || reaches[index]!.services.some((wider) => serviceCovers(wider, service)),
    ),
  )
  const blocks = maskWhere(rules, ({ effect }) => effect === 'block')
  const naming = maskWhere(
    rules,
    ({ effect, what }, index) =>
      effect === 'block' &&
      !what.internet &&
      reaches[index]!.hosts.size + reaches[index]!.keywords.length > 0,
  )
  // Only rules that cover a way or the internet settle which ways are open; people and times alike in
  // these are looked at once.
  const settling = ways.reduce((all, way) => all | way, internet)
  const allWays = (1n << BigInt(ways.length)) - 1n
  const people = alike(
    [...situations.people.values()].map((mask) => [mask, null] as const),
    settling,
  )
  const times = alike([...situations.times], settling)
  let [found, open, first] = [0n, 0n, Infinity]
  for (const who of people) {
    for (const when of times) {
      const situation = who.key & when.key
      const clauses = upTo(lowest(situation & internet))
      const present = who.union & when.union & naming & clauses
      if (present === 0n || ((present & ~found) === 0n && open === allWays && first <= when.all[0]![1]))
        continue
      // The ways that are open here, as the lowest bits of a mask.
      const passing = ways.reduce(
        (mask, way, index) =>
          (lowest(situation & way & clauses) & blocks) === 0n ? mask | (1n << BigInt(index)) : mask,
        0n,
      )
      if (passing === 0n) continue
      open |= passing
      found |= present
      first = Math.min(first, when.all.find(([mask]) => (mask & present) !== 0n)![1])
    }
  }
  if (found === 0n) return []
  return [
    {
      kind: 'slips-by-service',
      rules: [...bitsOf(found)].map((index) => rules[index]!.id),
      services: WAYS_AROUND.filter((_, index) => (open >> BigInt(index)) & 1n),
      first,
    },
  ]
}

function alike<T>(entries: readonly (readonly [bigint, T])[], rules: bigint): Alike<T>[] {
  const groups = new Map<bigint, (readonly [bigint, T])[]>()
  for (const entry of entries) {
    const key = entry[0] & rules
    const group = groups.get(key)
    if (group) group.push(entry)
    else groups.set(key, [entry])
  }
  return [...groups].map(([key, all]) => ({
    key,
    all,
    union: all.reduce((union, [mask]) => union | mask, 0n),
  }))
}

/** The lowest set bit of a mask, as a mask. */
const lowest = (mask: bigint) => mask & -mask
/** Every bit up to a single one, itself included; all bits where there is none. */
const upTo = (bit: bigint) => (bit === 0n ? -1n : (bit << 1n) - 1n)

function fromNetworks({ networks }: Policy, rules: readonly Rule[]): BypassFinding[] {
  return networks.flatMap(({ id, interfaces, subnets }): BypassFinding[] => {
    const blocking = rules.filter(({ effect, who }) => effect === 'block' && who.networks.includes(id))
    if (interfaces.length > 0 || subnets.length === 0 || blocking.length === 0) return []
    const isIPv4 = subnets.every((subnet) => !subnet.includes(':'))
    return [{ kind: 'slips-from-network', network: id, rules: blocking.map((rule) => rule.id), isIPv4 }]
  })
}
