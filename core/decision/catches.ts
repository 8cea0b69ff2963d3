import type { Destination } from '../destination/destination.ts'
import { matcherOf, matcherOfList } from '../destination/matcher.ts'
import type { App, Policy, Rule, SiteList } from '../policy/types.ts'
import { candidatesOf } from './candidate.ts'

/**
 * The parts of a policy that cover a destination, whoever asks and whenever: lists, apps, and the enabled
 * rules in their order, those on the whole internet apart.
 */
export interface Catches {
  readonly siteLists: readonly SiteList[]
  readonly apps: readonly App[]
  readonly rules: readonly Rule[]
  readonly internetRules: readonly Rule[]
}

/**
 * Answers, for destinations, everything of a policy that would catch them; lists and rules are made ready
 * once.
 */
export function matchingEntries(policy: Policy): (destination: Destination) => Catches {
  const candidates = candidatesOf({ ...policy, overrides: [], spent: [] })
  const lists = policy.siteLists.map((list) => ({ list, matches: matcherOfList(list.entries) }))
  const apps = policy.apps.map((app) => ({ app, matches: matcherOf({ ...app, keywords: [] }) }))
  return (destination) => {
    const speaking = new Set(
      candidates.filter((candidate) => candidate.matches(destination)).map(({ id }) => id),
    )
    const rules = policy.rules.filter(({ id }) => speaking.has(id))
    return {
      siteLists: lists.filter(({ matches }) => matches(destination)).map(({ list }) => list),
      apps: apps.filter(({ matches }) => matches(destination)).map(({ app }) => app),
      rules: rules.filter(({ what }) => !what.internet),
      internetRules: rules.filter(({ what }) => what.internet),
    }
  }
}
