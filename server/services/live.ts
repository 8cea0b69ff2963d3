import { canonicalText, digestOf } from '../../core/policy/canonical.ts'
import { freeId } from '../../core/policy/id.ts'
import { readPolicy } from '../../core/policy/read.ts'
import { overridesFor } from '../../core/policy/overrides.ts'
import type { Override, Policy } from '../../core/policy/types.ts'
import type { Gateway } from '../../gateway/protocol.ts'
import type { LiveAnswer } from '../../shared/answers.ts'
import { tell, type Sql } from '../sql/database.ts'
import { addOverride, liftOverride, overrides } from '../sql/override.ts'
import { place } from '../sql/place.ts'
import { addRevision, liveRevision } from '../sql/revision.ts'
import { readDraft } from './draft.ts'
import { Refused } from './errors.ts'

/** What is live: the latest revision with the overrides beside it. Before the first revision a policy that restricts nobody. */
export async function readLive(sql: Sql): Promise<LiveAnswer> {
  const revision = await liveRevision(sql)
  const base = revision ? policyOf(revision.document) : await emptyPolicy(sql)
  const policy = { ...base, overrides: overridesFor(base, await overrides(sql)) }
  return { policy, digest: digestOf(policy), revision: revision && { number: revision.number, author: revision.author, note: revision.note, createdAt: revision.createdAt } }
}

/**
 * Puts the draft live as a new revision. A gateway that answers is asked first, and where it refuses nothing changes; one that is away
 * gets it when it is back. Throws `nothing-to-put-live`, `refused-by-gateway`.
 */
export async function putLive(sql: Sql, gateway: Gateway, author: string, note: string): Promise<number> {
  const draft = policyOf(canonicalText(await readDraft(sql)))
  const live = await readLive(sql)
  const digest = digestOf(draft)
  if (live.revision && digestOf({ ...live.policy, overrides: [] }) === digest) throw new Refused('nothing-to-put-live')
  const proposed = { ...draft, overrides: overridesFor(draft, live.policy.overrides) }
  const faults = await gateway.check({ document: JSON.parse(canonicalText(proposed)), digest: digestOf(proposed) }).catch(() => null)
  if (faults) throw new Refused('refused-by-gateway', '', faults)
  const revision = await addRevision(sql, { digest, document: canonicalText(draft), author, note })
  await tell(sql, 'live')
  return revision.number
}

/** Makes an override, which counts at once; answers its id. Throws `unknown-part` where it names what is not live. */
export async function makeOverride(sql: Sql, form: Omit<Override, 'id'>, author: string): Promise<string> {
  const { policy } = await readLive(sql)
  const id = freeId(`override-${form.from}`, [...policy.overrides, ...policy.rules].map(entry => entry.id))
  const override = { id, ...form }
  if (overridesFor(policy, [override]).length === 0) throw new Refused('unknown-part', 'Put the device live first.')
  await addOverride(sql, override, author)
  await tell(sql, 'live')
  return id
}

/** Ends an override now. Throws `not-found`. */
export async function endOverride(sql: Sql, id: string): Promise<void> {
  if (!await liftOverride(sql, id)) throw new Refused('not-found', 'That override has ended already.')
  await tell(sql, 'live')
}

function policyOf(document: string): Policy {
  const result = readPolicy(JSON.parse(document))
  if ('policy' in result) return result.policy
  throw new Refused('malformed', 'The policy has faults.', result.faults)
}

async function emptyPolicy(sql: Sql): Promise<Policy> {
  const here = await place(sql)
  if (!here) throw new Refused('not-set-up')
  return { kairostat: 1, place: here, devices: [], groups: [], schedules: [], siteLists: [], apps: [], rules: [], overrides: [] }
}
