import { digestOfText } from '../../core/policy/canonical.ts'
import type { Policy, SiteList } from '../../core/policy/types.ts'
import { LONG_LIST, type BriefList } from '../../protocol/brief-list.ts'

export { sitesWith } from './list-sql.ts'

// The digest of a list that is live is worked out once: the policy of a revision is the same object to all.
const digests = new WeakMap<readonly string[], string>()

/** A policy as pages have it: long lists without their sites. */
export function brief(policy: Policy): Policy {
  return { ...policy, siteLists: policy.siteLists.map(briefList) }
}

function briefList(list: SiteList): BriefList {
  const { entries } = list
  if (entries.length < LONG_LIST) return list
  const digest = digests.get(entries) ?? digestOfText(JSON.stringify(entries))
  digests.set(entries, digest)
  return { ...list, entries: [], long: { digest, count: entries.length } }
}
