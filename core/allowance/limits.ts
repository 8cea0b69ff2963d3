import { hoursLookup, schedulesOf, timesOf, whoIncludes } from '../decision/candidate.ts'
import { ANY_NEWCOMER, deviceSubject, type Subject } from '../decision/subject.ts'
import type { Allowance, Amount, Policy, Rule } from '../policy/types.ts'
import { readInstant } from '../time/instant.ts'
import { covers, type Range, type Ranges } from '../time/ranges.ts'

/** A rule with an allowance, made ready: whom it applies to, and when. */
export interface AllowanceRule {
  readonly rule: Rule
  readonly after: Allowance
  readonly includes: (subject: Subject) => boolean
  /** Returns the times at which the rule is active by its schedule, within `[from, until)` (seconds). */
  readonly within: (from: number, until: number) => Ranges
}

/** Every rule of a policy that is switched on and has an allowance. */
export function allowanceRules(policy: Policy): AllowanceRule[] {
  const schedules = schedulesOf(policy)
  const zone = policy.place.timeZone
  return policy.rules.flatMap((rule): AllowanceRule[] => {
    const { after, enabled, who, when } = rule
    if (after === null || !enabled) return []
    return [
      {
        rule,
        after,
        includes: whoIncludes(policy, who),
        within: (from, until) => timesOf(when, zone)(from, until, hoursLookup(schedules, zone, from, until)),
      },
    ]
  })
}

/** Whether a rule with an allowance counts what is used at an instant (seconds). */
export const countsAt = ({ within }: AllowanceRule, at: number): boolean => covers(within(at, at + 1), at)

/** In what an amount is measured. */
export const measureOf = (amount: Amount) => ('minutes' in amount ? 'minutes' : 'megabytes')

/** Returns the size of an amount, in its own measure. */
export const sizeOf = (amount: Amount): number => ('minutes' in amount ? amount.minutes : amount.megabytes)

/** The amount that an override adds to allowances, made ready. */
interface Addition {
  readonly measure: 'minutes' | 'megabytes'
  readonly size: number
  readonly from: number
  readonly until: number
  readonly includes: (subject: Subject) => boolean
  readonly macs: readonly string[]
}

const ready = new WeakMap<Policy, readonly Addition[]>()

/**
 * Returns the additions by the overrides of a policy; cached, since each allowance is asked about often.
 */
function additionsOf(policy: Policy): readonly Addition[] {
  const known = ready.get(policy)
  if (known) return known
  const additions = policy.overrides.flatMap(({ more, who, from, until }): Addition[] =>
    more === null
      ? []
      : [
          {
            measure: measureOf(more),
            size: sizeOf(more),
            from: readInstant(from)!,
            until: until === null ? Infinity : readInstant(until)!,
            includes: whoIncludes(policy, who, who.macs),
            macs: who.macs,
          },
        ],
  )
  ready.set(policy, additions)
  return additions
}

/**
 * Returns the limit at an instant (seconds) of a period: the allowance, and the additions by overrides.
 *
 * @param owner whose it is; `null` = all together
 */
export function limitAt(
  policy: Policy,
  { rule, after, includes }: AllowanceRule,
  owner: Subject | null,
  period: Range,
  at: number,
): number {
  const applies = (addition: Addition) =>
    owner === null
      ? everybody(policy, rule, addition.macs).some((one) => includes(one) && addition.includes(one))
      : addition.includes(owner)
  const added = additionsOf(policy).filter(
    (addition) =>
      addition.measure === measureOf(after) &&
      period.from <= addition.from &&
      addition.from <= at &&
      at < addition.until &&
      applies(addition),
  )
  return added.reduce((sum, { size }) => sum + size, sizeOf(after))
}

/**
 * Returns the next instant after one (seconds) at which overrides add to allowances or cease to; `null` =
 * never.
 */
export function additionsChangeAfter(policy: Policy, at: number): number | null {
  const changes = additionsOf(policy)
    .flatMap(({ from, until }) => [from, until])
    .filter((change) => change > at && change < Infinity)
  return changes.length === 0 ? null : Math.min(...changes)
}

/** All whom a rule may apply to, wherever they are. */
function everybody(policy: Policy, { who }: Rule, macs: readonly string[]): Subject[] {
  const anywhere = [
    ...policy.devices.map(({ id }) => deviceSubject(id)),
    ...macs.map((mac): Subject => ({ device: null, mac, network: null })),
    ANY_NEWCOMER,
  ]
  return [null, ...who.networks].flatMap((network) => anywhere.map((subject) => ({ ...subject, network })))
}
