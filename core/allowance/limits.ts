import { hoursLookup, schedulesOf, timesOf, whoIncludes } from '../decision/candidate.ts'
import { ANY_NEWCOMER, deviceSubject, type Subject } from '../decision/subject.ts'
import type { Allowance, Amount, Override, Policy, Rule } from '../policy/types.ts'
import { readInstant } from '../time/instant.ts'
import { covers, type Range, type Ranges } from '../time/ranges.ts'

/** A rule with an allowance, made ready: whom it applies to, and when. */
export interface AllowanceRule {
  readonly rule: Rule
  readonly after: Allowance
  readonly includes: (subject: Subject) => boolean
  /** When the rule says that it is active, within `[from, until)` (seconds). */
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

/** How much an amount is, in its own measure. */
export const sizeOf = (amount: Amount): number => ('minutes' in amount ? amount.minutes : amount.megabytes)

/**
 * How much may be used at an instant (seconds) of a period: the allowance, and what overrides add to it.
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
  const applies = ({ who }: Override) => {
    const includesToo = whoIncludes(policy, who, who.macs)
    const owners = owner ? [owner] : everybody(policy, rule, who.macs)
    return owners.some((one) => (owner !== null || includes(one)) && includesToo(one))
  }
  const more = policy.overrides.filter((override) => {
    if (override.more === null || 'minutes' in override.more !== 'minutes' in after) return false
    const from = readInstant(override.from)!
    const isActive = from <= at && (override.until === null || at < readInstant(override.until)!)
    return isActive && from >= period.from && applies(override)
  })
  return more.reduce((sum, override) => sum + sizeOf(override.more!), sizeOf(after))
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
