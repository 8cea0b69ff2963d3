import type { Segment } from '../decision/timeline.ts'
import type { Policy, Rule } from '../policy/types.ts'
import type { StateRange } from './band.ts'

/** The rules that block a part of what there is for everybody alike, nobody excepted. */
export function commonRules(policy: Policy): Rule[] {
  return policy.rules.filter(
    ({ enabled, logOnly, effect, who, what }) =>
      enabled &&
      !logOnly &&
      effect === 'block' &&
      who.everyone &&
      Object.values(who.except).every((excepted) => excepted.length === 0) &&
      !what.internet,
  )
}

/** The rules and overrides, by id, that block something for some alone. */
export function ownBlocks(policy: Policy): string[] {
  const common = new Set(commonRules(policy))
  const rules = policy.rules.filter((rule) => rule.enabled && !rule.logOnly && !common.has(rule))
  return [...rules, ...policy.overrides].flatMap(({ effect, id }) => (effect === 'block' ? [id] : []))
}

/**
 * The stretches of a band as they are drawn: what is partly blocked by common rules alone is drawn as allowed,
 * since it says nothing of the one whose band it is.
 *
 * @param own the ids of `ownBlocks`
 */
export function drawnStretches(segments: readonly Segment[], own: ReadonlySet<string>): StateRange[] {
  return segments.map(({ from, until, state, clauses }) => ({
    from,
    until,
    state: state === 'filtered' && !clauses.some((id) => own.has(id)) ? 'open' : state,
  }))
}
