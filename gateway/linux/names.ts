import { subjectOfMac, type Compiled } from '../../core/decision/compile.ts'
import { verdictAt } from '../../core/decision/moment.ts'
import { hostContains } from '../../core/destination/host.ts'
import { nameSet } from '../../core/destination/name-set.ts'
import type { Destination } from '../../core/destination/destination.ts'
import type { Plan } from '../../core/plan/plan.ts'
import type { Policy } from '../../core/policy/types.ts'
import { lookupLog, type LookupLog } from '../lookups.ts'
import type { Ruling } from '../names/resolver.ts'
import { LIVES, namesOf } from './table.ts'

/** How many names are remembered with their addresses. */
const NAMES = 20_000

/** What is decided about names and known of them, under one policy after the other. */
export interface Names {
  readonly log: LookupLog
  /** What becomes of a look-up by an address (MAC; `null` = unknown, a newcomer) at an instant (seconds). */
  rule(name: string, mac: string | null, at: number): Ruling
  /** Remembers the addresses of a name at an instant (seconds); answers the sets of the table, and what is new to them. */
  found(name: string, addresses: readonly string[], at: number): { readonly set: string, readonly addresses: readonly string[] }[]
  /** For a plan: the addresses of the names that a clause lets through, with the seconds that they have left at an instant. */
  of(plan: Plan, at: number): (clause: string) => { readonly address: string, readonly left: number }[]
  /** Holds to another policy, and to the plan that the table was made of. */
  hold(compiled: Compiled, plan: Plan): void
}

/** Names of which nothing is decided yet. */
export function namesKnown(): Names {
  const log = lookupLog()
  /** Until when (seconds) each address of a name is let through. */
  const known = new Map<string, Map<string, number>>()
  let held: { readonly compiled: Compiled, readonly allowing: readonly Allowing[] } | null = null
  const destinationOf = (host: string): Destination => ({ host, address: null, protocol: null, port: null })
  return {
    log,
    rule: (name, mac, at) => {
      if (!held) return null
      const { compiled } = held
      const verdict = verdictAt(compiled, mac === null ? { device: null, mac } : subjectOfMac(compiled, mac), at, destinationOf(name))
      if (mac !== null && name !== '') log.add(mac, name, verdict.effect, at)
      return verdict.effect === 'block' ? { closed: `Closed by ${nameOf(compiled.policy, verdict.because!.id)}` } : null
    },
    found: (name, addresses, at) => {
      const sets = held?.allowing.filter(({ matches }) => matches(name)) ?? []
      if (sets.length === 0 || addresses.length === 0) return []
      const own = known.get(name) ?? new Map<string, number>()
      // The longest unused goes first.
      known.delete(name)
      known.set(name, own)
      if (known.size > NAMES) known.delete(known.keys().next().value!)
      // The kernel has it for a while yet, and keeps what is in use.
      const fresh = addresses.filter(address => (own.get(address) ?? 0) < at + LIVES / 2)
      for (const address of fresh) own.set(address, at + LIVES)
      return fresh.length === 0 ? [] : sets.map(({ set }) => ({ set, addresses: fresh }))
    },
    of: (plan, at) => {
      const all = allowingIn(plan)
      return (clause) => {
        const allowing = all.find(({ id }) => id === clause)
        const left = new Map<string, number>()
        for (const [name, own] of allowing ? known : []) {
          if (allowing!.matches(name)) for (const [address, until] of own) if (until > at) left.set(address, Math.max(left.get(address) ?? 0, Math.ceil(until - at)))
        }
        return [...left].map(([address, seconds]) => ({ address, left: seconds }))
      }
    },
    hold: (compiled, plan) => {
      held = { compiled, allowing: allowingIn(plan) }
    },
  }
}

/** A clause that lets names through, with the set of the table that its addresses go into. */
interface Allowing { readonly id: string, readonly set: string, readonly matches: (name: string) => boolean }

function allowingIn(plan: Plan): Allowing[] {
  return plan.clauses.flatMap((clause, place) => {
    const set = namesOf(clause, place)
    if (set === null) return []
    const has = nameSet([...clause.what!.hosts])
    return [{ id: clause.id, set, matches: (name: string) => has(name) || clause.what!.keywords.some(word => hostContains(name, word)) }]
  })
}

function nameOf(policy: Policy, id: string): string {
  return policy.rules.find(rule => rule.id === id)?.name ?? 'somebody, for now'
}
