import type { NamedKind } from '../policy/kinds.ts'
import { decides, withoutAllowances } from '../decision/candidate.ts'
import canonicalize from 'canonicalize'
import { compile, type Compiled } from '../decision/compile.ts'
import type { Policy, Rule } from '../policy/types.ts'
import { coveredExceptions } from '../time/schedule.ts'
import { Coverage, isEmptyReach, reachesOverlap, reachOf, type Reach } from './coverage.ts'
import {
  bitsOf,
  firstTogether,
  maskWhere,
  situationsOf,
  situationsWith,
  type Situations,
} from './situations.ts'
import { bypassFindings, type BypassFinding } from './bypasses.ts'

/** The kinds of entries that do nothing where no rule names them. */
export type UnusedKind = Extract<NamedKind, 'siteList' | 'app' | 'schedule' | 'group'>

/**
 * Something in a policy that is likely not meant. `rule`, `by` and the like are ids; `first` is the instant
 * (seconds) at which it would first be felt.
 */
export type PolicyFinding = RuleFinding | BypassFinding

type RuleFinding =
  /** Whenever the rule is in force, earlier ones decide everything that it covers; `by` are these. */
  | {
      readonly kind: 'never-decides'
      readonly rule: string
      readonly by: readonly string[]
      readonly first: number
    }
  | { readonly kind: 'never-in-force'; readonly rule: string }
  | { readonly kind: 'meets-nobody'; readonly rule: string }
  | { readonly kind: 'says-nothing'; readonly rule: string }
  /**
   * No later rule would block, for whom and when it is in force, anything at all. `above` = the first of the
   * earlier rules before which it would have an effect; `null` = nowhere.
   */
  | {
      readonly kind: 'opens-nothing'
      readonly rule: string
      readonly above: string | null
      readonly first: number
    }
  /** The earlier of two rules that say the opposite of the same, for the same devices, at times that meet. */
  | { readonly kind: 'contradiction'; readonly rule: string; readonly other: string; readonly first: number }
  | { readonly kind: 'unused'; readonly part: UnusedKind; readonly id: string }
  /** A schedule with exceptions that never count, since earlier ones cover their dates. */
  | { readonly kind: 'covered-exceptions'; readonly schedule: string; readonly dates: readonly string[] }
  /** Devices that no rule applies to. */
  | { readonly kind: 'no-rule'; readonly devices: readonly string[] }

/**
 * The findings of a policy as of an instant (seconds), proved over the devices, the coming 400 days and the
 * destinations, overrides left aside: first
 * those about rules, in their order; allowances may be used up, or not. Rules that are switched off or only
 * logged count for nothing, but use what they name. `own` are the addresses of the machine in use.
 */
export function policyFindings(policy: Policy, now: number, own: readonly string[] = []): PolicyFinding[] {
  const compiled = compile({ ...withoutAllowances(policy), overrides: [] })
  const rules = policy.rules.filter(decides)
  const situations = situationsOf(compiled, now)
  const reaches = rules.map((rule) => reachOf(policy, rule.what))
  const inForce = [...situations.times.keys()].reduce((all, mask) => all | mask, 0n)
  const met = [...situations.people.values()].reduce((all, mask) => all | mask, 0n)
  const effects = ruleEffects(rules, reaches, situations)
  const about = rules.flatMap((rule, index): RuleFinding[] => {
    const bit = 1n << BigInt(index)
    if (isEmptyReach(reaches[index]!)) return [{ kind: 'says-nothing', rule: rule.id }]
    if ((met & bit) === 0n) return [{ kind: 'meets-nobody', rule: rule.id }]
    if ((inForce & bit) === 0n) return [{ kind: 'never-in-force', rule: rule.id }]
    const { decides, opens, before, together } = effects[index]!
    if (!together) return []
    const first = firstTogether(situations, bit)!
    if (!decides)
      return [
        { kind: 'never-decides', rule: rule.id, by: [...bitsOf(before)].map((at) => rules[at]!.id), first },
      ]
    if (rule.effect !== 'allow' || opens) return []
    const above = firstBlockBefore(rules, reaches, situations, index)
    return [{ kind: 'opens-nothing', rule: rule.id, above: above === null ? null : rules[above]!.id, first }]
  })
  const spoken = new Set(about.flatMap((finding) => ('rule' in finding ? [finding.rule] : [])))
  return [
    ...about,
    ...contradictions(rules, situations, spoken),
    ...bypassFindings(policy, rules, reaches, situations, own),
    ...unusedParts(policy),
    ...coveredDates(policy),
    ...withoutRule(compiled),
  ]
}

interface RuleEffect {
  readonly together: boolean
  readonly decides: boolean
  readonly opens: boolean
  readonly before: bigint
}

/**
 * The fate of each rule over all situations: whether it is ever in force for somebody, decides something,
 * lets something through that is blocked after it; and which rules decide in its place where it does not.
 */
function ruleEffects(
  rules: readonly Rule[],
  reaches: readonly Reach[],
  situations: Situations,
): RuleEffect[] {
  const internet = maskWhere(rules, ({ what }) => what.internet)
  // While an allowance is not used up, what comes after its rule decides.
  const sure = maskWhere(rules, ({ after }) => after === null)
  const blocks = maskWhere(rules, ({ effect }) => effect === 'block')
  return rules.map((rule, index) => {
    const coverage = new Coverage(reaches.slice(0, index), reaches[index]!)
    const known = new Map<bigint, bigint>()
    const bit = 1n << BigInt(index)
    let [together, decides, opens, before] = [false, false, false, 0n]
    for (const situation of situationsWith(situations, bit)) {
      together = true
      if (decides && (opens || rule.effect === 'block')) break
      const earlier = situation & (bit - 1n) & sure
      const settles = earlier & internet & -(earlier & internet)
      if (settles !== 0n) {
        before |= settles
        continue
      }
      if (!known.has(earlier)) known.set(earlier, coveringOf(coverage, earlier))
      const covering = known.get(earlier)!
      if (covering !== 0n) {
        before |= covering
        continue
      }
      decides = true
      opens ||= (situation & blocks & ~((bit << 1n) - 1n)) !== 0n
    }
    return { together, decides, opens, before }
  })
}

/**
 * The first of the rules before an exception that blocks, for somebody at some time, a part of what it covers;
 * `null` where none does.
 */
function firstBlockBefore(
  rules: readonly Rule[],
  reaches: readonly Reach[],
  situations: Situations,
  index: number,
): number | null {
  const bit = 1n << BigInt(index)
  const blocks = maskWhere(rules, ({ effect }, at) => effect === 'block' && at < index)
  let together = 0n
  for (const situation of situationsWith(situations, bit)) {
    together |= situation & blocks
    if (together === blocks) break
  }
  return [...bitsOf(together)].find((at) => reachesOverlap(reaches[at]!, reaches[index]!)) ?? null
}

/**
 * Those of some earlier rules that take everything that a rule covers: as few as it goes by leaving out one
 * after the other; none (0) where they leave something.
 */
function coveringOf(coverage: Coverage, earlier: bigint): bigint {
  if (!coverage.isBy(earlier)) return 0n
  let needed = earlier
  for (const at of bitsOf(earlier)) {
    const less = needed & ~(1n << BigInt(at))
    if (less !== 0n && coverage.isBy(less)) needed = less
  }
  return needed
}

function contradictions(
  rules: readonly Rule[],
  situations: Situations,
  spoken: ReadonlySet<string>,
): PolicyFinding[] {
  const people = [...situations.people.values()]
  const same = new Map<string, number[]>()
  rules.forEach(({ what }, index) =>
    same.set(canonicalize(what)!, [...(same.get(canonicalize(what)!) ?? []), index]),
  )
  return [...same.values()].flatMap((list) =>
    list.flatMap((first, at) =>
      list.slice(at + 1).flatMap((second): PolicyFinding[] => {
        const [one, other] = [rules[first]!, rules[second]!]
        const both = (1n << BigInt(first)) | (1n << BigInt(second))
        if (one.after !== null || other.after !== null) return []
        if (one.effect === other.effect || spoken.has(one.id) || spoken.has(other.id)) return []
        // An exception meets fewer than the ban that stands after it; a contradiction meets the same.
        if (people.some((who) => (who & both) !== 0n && (who & both) !== both)) return []
        const meet = people.some((who) => (who & both) === both) ? firstTogether(situations, both) : null
        return meet === null ? [] : [{ kind: 'contradiction', rule: one.id, other: other.id, first: meet }]
      }),
    ),
  )
}

function unusedParts(policy: Policy): PolicyFinding[] {
  const used = <T>(of: (rule: Rule) => readonly T[]) => new Set(policy.rules.flatMap(of))
  const lists = used(({ what }) => what.siteLists)
  const [apps, categories] = [used(({ what }) => what.apps), used(({ what }) => what.categories)]
  const schedules = used(({ when }) => ('schedules' in when ? when.schedules : []))
  const groups = used(({ who }) => [...who.groups, ...who.except.groups])
  const finding =
    (part: UnusedKind) =>
    ({ id }: { id: string }): PolicyFinding => ({ kind: 'unused', part, id })
  return [
    ...policy.siteLists.filter(({ id }) => !lists.has(id)).map(finding('siteList')),
    ...policy.apps
      .filter(({ id, category }) => !apps.has(id) && !categories.has(category))
      .map(finding('app')),
    ...policy.schedules.filter(({ id }) => !schedules.has(id)).map(finding('schedule')),
    // Somebody has devices whether a rule names them or not.
    ...policy.groups.filter(({ id, person }) => !person && !groups.has(id)).map(finding('group')),
  ]
}

function coveredDates({ schedules }: Policy): PolicyFinding[] {
  return schedules.flatMap(({ id, exceptions }): PolicyFinding[] => {
    const covered = coveredExceptions(exceptions)
    return covered.length === 0
      ? []
      : [{ kind: 'covered-exceptions', schedule: id, dates: covered.map((index) => exceptions[index]!.from) }]
  })
}

function withoutRule({ policy, includes, shielded }: Compiled): PolicyFinding[] {
  const devices = policy.devices
    .filter(({ id }) => !shielded.has(id) && includes.get(id)!.every((word) => word === 0))
    .map(({ id }) => id)
  return policy.rules.length === 0 || devices.length === 0 ? [] : [{ kind: 'no-rule', devices }]
}
