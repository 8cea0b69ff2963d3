import type { Destination } from '../destination/destination.ts'
import { matcherOf } from '../destination/matcher.ts'
import type { App, Policy, Rule, SiteList } from '../policy/types.ts'
import { candidatesOf } from './candidate.ts'

/** What of a policy speaks of a destination, whoever asks and whenever: lists, apps, and the enabled rules in their order, those on the whole internet apart. */
export interface Catches {
  readonly siteLists: readonly SiteList[]
  readonly apps: readonly App[]
  readonly rules: readonly Rule[]
  readonly internetRules: readonly Rule[]
}

/** Everything that would catch a destination. */
export function catchesOf(policy: Policy, destination: Destination): Catches {
  const speaking = new Set(candidatesOf({ ...policy, overrides: [] }).filter(candidate => candidate.matches(destination)).map(({ id }) => id))
  const rules = policy.rules.filter(({ id }) => speaking.has(id))
  return {
    siteLists: policy.siteLists.filter(({ entries }) => matcherOf({ sites: entries, keywords: [], services: [] })(destination)),
    apps: policy.apps.filter(({ sites, services }) => matcherOf({ sites, keywords: [], services })(destination)),
    rules: rules.filter(({ what }) => !what.internet), internetRules: rules.filter(({ what }) => what.internet),
  }
}
