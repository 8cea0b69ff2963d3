import { gather } from '../decision/candidate.ts'
import { compile, maskOf, subjectOfMac, type Compiled } from '../decision/compile.ts'
import { ANY_NEWCOMER, deviceSubject, type Subject } from '../decision/subject.ts'
import { timelines, type Segment } from '../decision/timeline.ts'
import { readMatched, siteSetOf, type SiteSet } from '../destination/matcher.ts'
import type { Service } from '../destination/service.ts'
import type { Effect, Network, Policy, What, Who } from '../policy/types.ts'
import { instantText } from '../time/instant.ts'

/**
 * A rule or override as a packet filter holds to it; `log` = it only counts what it covers; `what` is
 * `null` where that is the internet as a whole.
 */
export interface Clause {
  readonly id: string
  readonly effect: Effect | 'log'
  readonly what: Planned | null
}

/** The coverage of a clause: sites, those of each list apart, words in names, services. */
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

/**
 * Whoever sends with a MAC address (lower case, colons; `null` = with any that the plan does not name) from a
 * network of the place (by its id; `null` = from none, or from one in which that address has no course of its
 * own), and the place of their course in the plan's `courses`; `null` = shielded: what they send always passes.
 */
export interface Sender {
  readonly mac: string | null
  readonly network: string | null
  readonly course: number | null
  /**
   * Of whoever the plan does not name: the place of their course once all allowances are used up; missing
   * where they have none.
   */
  readonly whenSpent?: number | null
}

/** A sender as a text: the address, and `@` with the network where there is one. */
export const senderKey = ({ mac, network }: Pick<Sender, 'mac' | 'network'>): string =>
  `${mac ?? ''}${network === null ? '' : `@${network}`}`

/** The MAC address in the key of a sender; `null` = any that the plan does not name. */
export const macOfKey = (key: string): string | null => key.split('@')[0]! || null

/** The work of a data plane in `[from, until)` (seconds). */
export interface Plan {
  readonly from: number
  readonly until: number
  readonly clauses: readonly Clause[]
  /**
   * The clauses that are active together, by their places in `clauses`, in the order in which they decide;
   * where none matches, what is sent passes.
   */
  readonly standings: readonly (readonly number[])[]
  /** The sequence of standings, without gaps; many devices share one. */
  readonly courses: readonly (readonly PlanInterval[])[]
  /**
   * First whoever the plan does not name, in no network; then every address that belongs to a device or that an
   * override names; then who has another course in a network.
   */
  readonly senders: readonly Sender[]
  /** Every network, in the order in which they are tried; none where no sender has one. */
  readonly networks: readonly Network[]
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
  const everyone = subjectsIn(compiled)
  const lines = timelines(
    compiled,
    everyone.map(({ subject }) => subject),
    from,
    until,
  )
  const spent = spentLines(compiled, from, until)
  const senders = everyone.flatMap(({ macs, subject: { device, network } }, index): Sender[] => {
    const isShielded = device !== null && compiled.shielded.has(device)
    const course = isShielded ? null : place(courses, lines[index]!.segments)
    return macs.map((mac) => {
      const segments = mac === null ? spent?.(network) : undefined
      return { mac, network, course, ...(segments ? { whenSpent: place(courses, segments) } : {}) }
    })
  })
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
    senders,
    networks: senders.some(({ network }) => network !== null) ? policy.networks : [],
  }
}

/** An address that nobody can have: the first is that of groups (IEEE 802). */
const NOBODY = '01:00:00:00:00:00'

/**
 * The segments of an unknown device in a network whose allowances are all used up, shared ones too; `null`
 * where no unknown device has any.
 */
function spentLines(
  { policy }: Compiled,
  from: number,
  until: number,
): ((network: string | null) => readonly Segment[]) | null {
  const rules = policy.rules.filter(
    ({ enabled, logOnly, after, who }) =>
      enabled && !logOnly && after !== null && (who.newcomers || who.everyone || who.networks.length > 0),
  )
  if (rules.length === 0) return null
  const range = { device: null, mac: NOBODY, from: instantText(from), until: instantText(until) }
  const used = compile(
    {
      ...policy,
      rules: policy.rules.map((rule) => ({ ...rule, after: rule.after && { ...rule.after, shared: false } })),
      spent: rules.map(({ id }) => ({ rule: id, ...range })),
    },
    true,
  )
  return (network) => timelines(used, [{ device: null, mac: NOBODY, network }], from, until)[0]!.segments
}

/** Somebody whom a policy may treat in a way of their own, and the addresses with which they send. */
interface Planning {
  readonly macs: readonly (string | null)[]
  readonly subject: Subject
}

/** Everyone in no network, then those of each network to whom other rules apply there. */
function subjectsIn(compiled: Compiled): Planning[] {
  const { policy, namedMacs } = compiled
  const inNone: Planning[] = [
    { macs: [null], subject: ANY_NEWCOMER },
    ...policy.devices
      .filter(({ adapters }) => adapters.length > 0)
      .map(({ id, adapters }) => ({ macs: adapters.map(({ mac }) => mac), subject: deviceSubject(id) })),
    ...[...namedMacs].map((mac) => ({ macs: [mac], subject: subjectOfMac(compiled, mac) })),
  ]
  const named = networksNamedIn(policy)
  return [
    ...inNone,
    ...policy.networks
      .filter(({ id }) => named.has(id))
      .flatMap(({ id }) =>
        inNone.flatMap(({ macs, subject }) => {
          const there = { ...subject, network: id }
          return maskOf(compiled, there) === maskOf(compiled, subject) ? [] : [{ macs, subject: there }]
        }),
      ),
  ]
}

/** The networks that some rule or override names, as those to whom it applies or as excepted. */
export function networksNamedIn({ rules, overrides }: Policy): ReadonlySet<string> {
  const ofWho = ({ networks, except }: Who) => [...networks, ...except.networks]
  return new Set([...rules.filter(({ enabled }) => enabled), ...overrides].flatMap(({ who }) => ofWho(who)))
}

function clauseOf(policy: Policy, id: string): Clause {
  const rule = policy.rules.find((one) => one.id === id)
  const { effect, what } = rule ?? policy.overrides.find((one) => one.id === id)!
  return {
    id,
    effect: rule?.logOnly ? 'log' : effect,
    what: what === null || what.internet ? null : plannedOf(policy, what),
  }
}

// A list may hold a million names: it is made ready once, whatever policy it is in.
function plannedOf(policy: Policy, what: What): Planned {
  const { sites, ...rest } = gather(policy, { ...what, siteLists: [] })
  const lists = policy.siteLists.filter(({ id }) => what.siteLists.includes(id))
  const { keywords, services } = readMatched({ sites: [], ...rest })
  return { sets: [siteSetOf(sites), ...lists.map(({ entries }) => siteSetOf(entries))], keywords, services }
}
