import { matcherOf, matcherOfList, type Matched, type Matcher } from '../destination/matcher.ts'
import type { Effect, Override, Policy, Rule, Schedule, Spent, What, When, Who } from '../policy/types.ts'
import { readInstant, readLocal } from '../time/instant.ts'
import { clip, complement, intersect, unite, type Ranges } from '../time/ranges.ts'
import { hoursOf, hoursWithin, type Hours } from '../time/schedule.ts'
import type { Subject } from './subject.ts'

/**
 * A rule or an override that can be a clause of some device: whom it applies to, whether it is on the internet
 * as a whole, when it is in force.
 */
export interface Candidate {
  readonly kind: 'rule' | 'override'
  readonly id: string
  readonly effect: Effect
  /** Whether it decides nothing, and only what it would have decided is kept. */
  readonly logs: boolean
  /** Whether it is on the internet as a whole, so that nothing after it is asked. */
  readonly internet: boolean
  /** Whether it is in force at every instant. */
  readonly alwaysActive: boolean
  readonly includes: (subject: Subject) => boolean
  /** The devices that it may include in no network; `null` = any. */
  readonly named: ReadonlySet<string> | null
  /**
   * Returns the times at which it is active within `[from, until)` (seconds); `schedules` gives a schedule's
   * hours in the same range.
   */
  readonly inForce: (from: number, until: number, schedules: (id: string) => Ranges) => Ranges
  /** Whether it covers a destination. */
  readonly matches: Matcher
}

/** Whether a rule decides anything: it is switched on, and not only logged. */
export const decides = ({ enabled, logOnly }: Rule): boolean => enabled && !logOnly

/**
 * Every candidate of the policy in the order in which they decide: overrides, the latest `from` first and of
 * equals the later in the list, then the rules that decide; with `logging` those that are only logged stand
 * among them. A rule with an allowance is a candidate for each whose allowance was used up.
 */
export function candidatesOf(policy: Policy, logging = false): readonly Candidate[] {
  const overrides = policy.overrides
    .filter(({ more }) => more === null)
    .map((override, index) => ({ override, index, from: readInstant(override.from)! }))
    .sort((a, b) => b.from - a.from || b.index - a.index)
  return [
    ...overrides.map(({ override }) => ofOverride(policy, override)),
    ...policy.rules
      .filter((rule) => decides(rule) || (logging && rule.enabled))
      .flatMap((rule) => (rule.after === null ? [ofRule(policy, rule)] : ofAllowance(policy, rule))),
  ]
}

const read = new WeakMap<Schedule, Hours>()
/** The hours of each schedule, by its id; a schedule is read once, however many policies it is in. */
export function schedulesOf(policy: Policy): ReadonlyMap<string, Hours> {
  return new Map(
    policy.schedules.map((schedule) => [
      schedule.id,
      read.get(schedule) ?? read.set(schedule, hoursOf(schedule)).get(schedule)!,
    ]),
  )
}

/** Gives each schedule's hours within a range, each worked out once. */
export function hoursLookup(
  schedules: ReadonlyMap<string, Hours>,
  zone: string,
  from: number,
  until: number,
): (id: string) => Ranges {
  const known = new Map<string, Ranges>()
  return (id) => {
    const ranges = known.get(id) ?? hoursWithin(schedules.get(id)!, zone, from, until)
    known.set(id, ranges)
    return ranges
  }
}

/**
 * Answers, for rules of the policy, when each would be in force within `[from, until)` (seconds), were it
 * switched on; every schedule's hours are worked out once.
 */
export function timesWithin(policy: Policy, from: number, until: number): (when: When) => Ranges {
  const zone = policy.place.timeZone
  const hours = hoursLookup(schedulesOf(policy), zone, from, until)
  return (when) => timesOf(when, zone)(from, until, hours)
}

function ofOverride(policy: Policy, override: Override): Candidate {
  const range = {
    from: readInstant(override.from)!,
    until: override.until === null ? Infinity : readInstant(override.until)!,
  }
  return {
    kind: 'override',
    id: override.id,
    effect: override.effect,
    logs: false,
    internet: override.what === null,
    alwaysActive: false,
    ...whom(policy, override.who, override.who.macs),
    inForce: (from, until) => clip([range], from, until),
    matches: override.what === null ? () => true : whatMatches(policy, override.what),
  }
}

function ofRule(policy: Policy, rule: Rule): Candidate {
  return {
    kind: 'rule',
    id: rule.id,
    effect: rule.effect,
    logs: rule.logOnly,
    internet: rule.what.internet && !rule.logOnly,
    alwaysActive: 'always' in rule.when,
    ...whom(policy, rule.who),
    inForce: timesOf(rule.when, policy.place.timeZone),
    matches: rule.what.internet ? () => true : whatMatches(policy, rule.what),
  }
}

/**
 * A rule with an allowance: where it is shared, one candidate that is in force while it is used up; else one
 * for each of those who used theirs up, and one that is never in force for all others.
 */
function ofAllowance(policy: Policy, rule: Rule): Candidate[] {
  const candidate = { ...ofRule(policy, rule), alwaysActive: false }
  const during = (spent: Ranges): Candidate['inForce'] =>
    spent.length === 0
      ? () => []
      : (from, until, schedules) =>
          intersect(candidate.inForce(from, until, schedules), clip(spent, from, until))
  const spent = spentBy(policy, rule.id)
  if (rule.after!.shared) return [{ ...candidate, inForce: during(spent.get('') ?? []) }]
  spent.delete('')
  const others = ({ device, mac }: Subject) => !spent.has(spenderKey({ device, mac }))
  return [
    ...[...spent].map(([key, ranges]): Candidate => ({
      ...candidate,
      includes: (subject) => spenderKey(subject) === key && candidate.includes(subject),
      named: new Set(key.startsWith(DEVICE) ? [key.slice(DEVICE.length)] : []),
      inForce: during(ranges),
    })),
    {
      ...candidate,
      includes: (subject) => others(subject) && candidate.includes(subject),
      inForce: () => [],
    },
  ]
}

/** The policy with rules that block at once, whatever was used. */
export function withoutAllowances(policy: Policy): Policy {
  return { ...policy, rules: policy.rules.map((rule) => ({ ...rule, after: null })) }
}

const DEVICE = 'device '
/**
 * Returns the owner of an allowance as a text: a device, or an unknown one by its address; empty = all
 * together.
 */
export const spenderKey = ({ device, mac }: Pick<Spent, 'device' | 'mac'>): string => {
  if (device !== null) return `${DEVICE}${device}`
  return mac === null ? '' : `mac ${mac}`
}

/** The times at which the allowance of a rule was used up, by owner. */
function spentBy({ spent }: Policy, rule: string): Map<string, Ranges> {
  const ranges = new Map<string, { from: number; until: number }[]>()
  for (const one of spent) {
    if (one.rule !== rule) continue
    const key = spenderKey(one)
    ranges.set(key, [
      ...(ranges.get(key) ?? []),
      { from: readInstant(one.from)!, until: readInstant(one.until)! },
    ])
  }
  return new Map([...ranges].map(([key, all]): [string, Ranges] => [key, unite(all)]))
}

/** The subjects of a rule or an override. */
export const whoIncludes = (policy: Policy, who: Who, macs: readonly string[] = []): Candidate['includes'] =>
  whom(policy, who, macs).includes

function whom(policy: Policy, who: Who, macs: readonly string[] = []): Pick<Candidate, 'includes' | 'named'> {
  const members = (groups: readonly string[]) =>
    policy.groups.filter((group) => groups.includes(group.id)).flatMap((group) => group.members)
  const owners = policy.devices.filter(({ adapters }) => adapters.some(({ mac }) => macs.includes(mac)))
  const named = new Set([...who.devices, ...members(who.groups), ...owners.map(({ id }) => id)])
  const except = new Set([...who.except.devices, ...members(who.except.groups)])
  const isNamed = ({ device, mac, network }: Subject) =>
    who.everyone ||
    (device === null ? who.newcomers || (mac !== null && macs.includes(mac)) : named.has(device)) ||
    (network !== null && who.networks.includes(network))
  const isExcepted = ({ device, network }: Subject) =>
    (device !== null && except.has(device)) || (network !== null && who.except.networks.includes(network))
  return {
    includes: (subject) => isNamed(subject) && !isExcepted(subject),
    named: who.everyone ? null : named,
  }
}

/** Returns the times at which a rule is active, by its "when" in a zone. */
export function timesOf(when: When, zone: string): Candidate['inForce'] {
  if ('always' in when) return (from, until) => [{ from, until }]
  if ('from' in when) {
    const range = { from: readLocal(when.from, zone)!, until: readLocal(when.until, zone)! }
    return (from, until) => (range.from < range.until ? clip([range], from, until) : [])
  }
  return (from, until, schedules) => {
    const inside = unite(when.schedules.flatMap((id) => [...schedules(id)]))
    return when.outside ? complement(inside, from, until) : inside
  }
}

// Built at the first question: most look at states, and a list may hold a million names.
function whatMatches(policy: Policy, what: What): Matcher {
  let matchers: readonly Matcher[] | undefined
  return (destination) => {
    matchers ??= [
      matcherOf(gather(policy, { ...what, siteLists: [] })),
      ...policy.siteLists
        .filter(({ id }) => what.siteLists.includes(id))
        .map(({ entries }) => matcherOfList(entries)),
    ]
    for (const matches of matchers) if (matches(destination)) return true
    return false
  }
}

/** The texts of what a rule covers, its lists, apps and categories gathered. */
export function gather(policy: Policy, what: What): Matched {
  const apps = policy.apps.filter(
    (app) => what.apps.includes(app.id) || what.categories.includes(app.category),
  )
  const lists = policy.siteLists.filter((list) => what.siteLists.includes(list.id))
  return {
    sites: [...what.sites, ...lists.flatMap((list) => list.entries), ...apps.flatMap((app) => app.sites)],
    keywords: what.keywords,
    services: [...what.services, ...apps.flatMap((app) => app.services)],
  }
}
