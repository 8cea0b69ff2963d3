import { gather } from '../decision/candidate.ts'
import { everyDevice, subjectOfMac, type Compiled } from '../decision/compile.ts'
import { ANY_NEWCOMER } from '../decision/subject.ts'
import { timelines, type Segment } from '../decision/timeline.ts'
import { readMatched, siteSetOf, type SiteSet } from '../destination/matcher.ts'
import type { Service } from '../destination/service.ts'
import type { Effect, Policy, What } from '../policy/types.ts'

/**
 * A rule or override as a packet filter holds to it; `log` = it only counts what it covers; `what` is
 * `null` where that is the internet as a whole.
 */
export interface Clause {
  readonly id: string
  readonly effect: Effect | 'log'
  readonly what: Planned | null
}

/** What a clause covers: sites, those of each list apart, words in names, services. */
export interface Planned {
  readonly sets: readonly SiteSet[]
  readonly keywords: readonly string[]
  readonly services: readonly Service[]
}

/**
 * A stretch `[from, until)` (seconds) in which the clauses of one standing decide, by its place in the plan's
 * `standings`.
 */
export interface PlanInterval {
  readonly from: number
  readonly until: number
  readonly standing: number
}

/** What a data plane has to do in `[from, until)` (seconds). */
export interface Plan {
  readonly from: number
  readonly until: number
  readonly clauses: readonly Clause[]
  /**
   * Which clauses hold together, by their places in `clauses`, in the order in which they decide; where none
   * matches, what is sent passes.
   */
  readonly standings: readonly (readonly number[])[]
  /** How the standings follow each other, without gaps; many share one course. */
  readonly courses: readonly (readonly PlanInterval[])[]
  /**
   * The course of each address (lower case, colons) that belongs to a device or that an override names;
   * `null` = shielded: it always passes.
   */
  readonly adapters: readonly { readonly mac: string; readonly course: number | null }[]
  /** The course of every other address. */
  readonly newcomers: number
}

/**
 * Makes the plan of a policy, compiled with its logging, for `[from, until)` (seconds).
 *
 * @throws RangeError where that is empty
 */
export function planOf(compiled: Compiled, from: number, until: number): Plan {
  const { policy } = compiled
  const places = new Map<string, number>()
  const standings = new Map<string, readonly number[]>()
  const standingAt = new Map<string, number>()
  const place = <K>(all: Map<K, number>, key: K) => all.get(key) ?? all.set(key, all.size).get(key)!
  const standingOf = (ids: readonly string[]) => {
    const key = ids.join('\n')
    if (!standings.has(key))
      standings.set(
        key,
        ids.map((id) => place(places, id)),
      )
    return place(standingAt, key)
  }
  const courses = new Map<readonly Segment[], number>()
  const named = [...compiled.namedMacs]
  const lines = timelines(
    compiled,
    [...everyDevice(compiled), ANY_NEWCOMER, ...named.map((mac) => subjectOfMac(compiled, mac))],
    from,
    until,
  )
  const courseOf = (index: number) => place(courses, lines[index]!.segments)
  const newcomersAt = policy.devices.length
  const adapters = [
    ...policy.devices.flatMap(({ adapters, shielded }, index) =>
      adapters.map(({ mac }) => ({ mac, course: shielded ? null : courseOf(index) })),
    ),
    ...named.map((mac, index) => ({ mac, course: courseOf(newcomersAt + 1 + index) })),
  ]
  const newcomers = courseOf(newcomersAt)
  const stretches = [...courses.keys()].map((segments) =>
    segments.map(({ from, until, clauses }): PlanInterval => ({
      from,
      until,
      standing: standingOf(clauses),
    })),
  )
  return {
    from,
    until,
    clauses: [...places.keys()].map((id) => clauseOf(policy, id)),
    standings: [...standings.values()],
    courses: stretches,
    adapters,
    newcomers,
  }
}

function clauseOf(policy: Policy, id: string): Clause {
  const rule = policy.rules.find((one) => one.id === id)
  if (rule)
    return {
      id,
      effect: rule.logOnly ? 'log' : rule.effect,
      what: rule.what.internet ? null : plannedOf(policy, rule.what),
    }
  return { id, effect: policy.overrides.find((one) => one.id === id)!.effect, what: null }
}

// A list may hold a million names: it is made ready once, whatever policy it is in.
function plannedOf(policy: Policy, what: What): Planned {
  const { sites, ...rest } = gather(policy, { ...what, siteLists: [] })
  const lists = policy.siteLists.filter(({ id }) => what.siteLists.includes(id))
  const { keywords, services } = readMatched({ sites: [], ...rest })
  return { sets: [siteSetOf(sites), ...lists.map(({ entries }) => siteSetOf(entries))], keywords, services }
}
