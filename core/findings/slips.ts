import { mayChange } from '../destination/mac.ts'
import { readService } from '../destination/service.ts'
import type { DeviceKind, Policy, Rule } from '../policy/types.ts'
import { serviceCovers, type Reach } from './coverage.ts'
import { bitsOf, type Scenes } from './scenes.ts'

/** A way around what is closed. `first` is the instant (seconds) at which it would first be of use. */
export type SlipFinding =
  /** Devices on Wi-Fi whose address may be a random one: with another they would be newcomers, who are not blocked when these are. */
  | { readonly kind: 'slips-by-address', readonly devices: readonly string[], readonly first: number }
  /** Rules that close names, while services by which names are resolved or passed by in secret stay open to those whom they meet. */
  | { readonly kind: 'slips-by-service', readonly rules: readonly string[], readonly services: readonly string[], readonly first: number }
  /** The device that somebody uses right now to edit the policy is blocked at times. */
  | { readonly kind: 'own-machine', readonly device: string, readonly first: number }

/** Services that carry names or whole connections past a filter of names: DNS over TLS and QUIC (RFC 7858, 9250), IPsec (RFC 7296), L2TP (RFC 2661), PPTP (RFC 2637), SOCKS (RFC 1928). */
export const WAYS_AROUND = ['tcp/853', 'udp/853', 'udp/500,4500', 'udp/1701', 'tcp/1723', 'tcp/1080'] as const

/** What changes its address of its own accord: things that are carried about. */
const CHANGING: readonly DeviceKind[] = ['phone', 'tablet', 'laptop', 'reader', 'watch']

/** The ways around a policy; `rules` are the enabled ones, as the masks of the scenes count them, with what each reaches. `own` are the addresses of the machine in use. */
export function slipFindings(policy: Policy, rules: readonly Rule[], reaches: readonly Reach[], scenes: Scenes, own: readonly string[]): SlipFinding[] {
  const internet = maskWhere(rules, ({ what }) => what.internet)
  const blocks = maskWhere(rules, ({ effect }) => effect === 'block')
  // The first clause on the internet says whether a device is blocked.
  const isBlocked = (scene: bigint) => ((scene & internet) & -(scene & internet) & blocks) !== 0n
  const firstBlocked = (who: bigint, unless = 0n) => {
    for (const [when, first] of scenes.times) if (isBlocked(who & when) && !isBlocked(unless & when)) return first
    return null
  }
  return [...byAddress(policy, scenes, firstBlocked), ...byService(rules, reaches, scenes, internet), ...policy.devices.flatMap(({ id, adapters }): SlipFinding[] => {
    const first = adapters.some(({ mac }) => own.includes(mac)) ? firstBlocked(scenes.people.get(id)!) : null
    return first === null ? [] : [{ kind: 'own-machine', device: id, first }]
  })]
}

function byAddress({ devices }: Policy, { people }: Scenes, firstBlocked: (who: bigint, unless: bigint) => number | null): SlipFinding[] {
  const newcomers = people.get('')!
  const known = new Map<bigint, number | null>()
  const slipping = devices.flatMap(({ id, kind, adapters, shielded }) => {
    if (shielded || !CHANGING.includes(kind) || !adapters.some(({ mac, medium }) => medium === 'wifi' && mayChange(mac))) return []
    const who = people.get(id)!
    if (!known.has(who)) known.set(who, firstBlocked(who, newcomers))
    const first = known.get(who)!
    return first === null ? [] : [{ id, first }]
  })
  return slipping.length === 0 ? [] : [{ kind: 'slips-by-address', devices: slipping.map(({ id }) => id), first: Math.min(...slipping.map(({ first }) => first)) }]
}

function byService(rules: readonly Rule[], reaches: readonly Reach[], { people, times }: Scenes, internet: bigint): SlipFinding[] {
  const ways = WAYS_AROUND.map(text => ({ text, service: readService(text)! }))
  // For each way the rules that speak of it as a whole, and for each rule whether it closes names.
  const speaking = ways.map(({ service }) => maskWhere(rules, (_, index) => reaches[index]!.everything || reaches[index]!.services.some(wider => serviceCovers(wider, service))))
  const blocks = maskWhere(rules, ({ effect }) => effect === 'block')
  const naming = maskWhere(rules, ({ effect, what }, index) => effect === 'block' && !what.internet && reaches[index]!.hosts.size + reaches[index]!.keywords.length > 0)
  const open = new Map<number, { ways: Set<string>, first: number }>()
  for (const who of new Set(people.values())) {
    if ((who & naming) === 0n) continue
    for (const [when, first] of times) {
      const scene = who & when
      // Nothing after the first clause on the internet counts.
      const end = scene & internet & -(scene & internet)
      const clauses = end === 0n ? scene : scene & ((end << 1n) - 1n)
      if ((clauses & naming) === 0n) continue
      const passing = ways.filter((_, index) => {
        const deciding = clauses & speaking[index]!
        return (deciding & -deciding & blocks) === 0n
      })
      if (passing.length === 0) continue
      for (const index of bitsOf(clauses & naming)) {
        const known = open.get(index) ?? { ways: new Set<string>(), first }
        for (const { text } of passing) known.ways.add(text)
        open.set(index, { ...known, first: Math.min(known.first, first) })
      }
    }
  }
  if (open.size === 0) return []
  const indexes = [...open.keys()].sort((a, b) => a - b)
  return [{
    kind: 'slips-by-service', rules: indexes.map(index => rules[index]!.id), first: Math.min(...[...open.values()].map(({ first }) => first)),
    services: WAYS_AROUND.filter(way => [...open.values()].some(({ ways: found }) => found.has(way))),
  }]
}

function maskWhere(rules: readonly Rule[], test: (rule: Rule, index: number) => boolean): bigint {
  return rules.reduce((mask, rule, index) => test(rule, index) ? mask | 1n << BigInt(index) : mask, 0n)
}
