import { withoutChanges, type EntryRef } from '../../core/change/choose.ts'
import { countChanges } from '../../core/change/entries.ts'
import { canonicalText, digestOfText, documentOf } from '../../core/policy/canonical.ts'
import { overridesFor } from '../../core/policy/overrides.ts'
import type { Policy } from '../../core/policy/types.ts'
import type { Gateway } from '../../protocol/gateway/gateway.ts'
import { proposalOf } from '../../protocol/gateway/proposal.ts'
import { tell, type Sql } from '../database/database.ts'
import { addRevision } from './revision-sql.ts'
import { readDraft, rewrite } from '../draft/draft.ts'
import { edit, type Made } from '../draft/edit.ts'
import { record } from '../accounts/audit.ts'
import { ApiError } from '../errors.ts'
import { checkedPolicy, livePolicy, remember, revisionPolicy } from './live.ts'

/** What is made live: the draft but for some of its changes, or an earlier revision `again`. */
interface Chosen {
  readonly note: string
  readonly later?: readonly EntryRef[]
  readonly again?: number
}

/**
 * Puts the draft, or what an earlier revision said, live as a new revision. A gateway that answers is asked
 * first, and where it refuses nothing changes; one that is away gets it when it is back. Changes that are left
 * for later stay in the draft, with what depends on them.
 *
 * @throws ApiError `nothing-to-put-live`, `refused-by-gateway`, `not-found`
 */
export async function putLive(
  sql: Sql,
  gateway: Gateway,
  author: string,
  { note, later = [], again }: Chosen,
): Promise<number> {
  const draft =
    again === undefined
      ? checkedPolicy(documentOf(await draftWithout(sql, later)))
      : await revisionPolicy(sql, again)
  return makeLive(sql, gateway, draft, author, note, again)
}

/** The draft, with some of its entries as they are live. */
export async function draftWithout(sql: Sql, some: readonly EntryRef[]): Promise<Policy> {
  const draft = await readDraft(sql)
  return some.length === 0 ? draft : withoutChanges((await livePolicy(sql)).policy, draft, some).policy
}

/**
 * Makes entries of the draft say again what is live, with what depends on them, as one edit that can be undone.
 *
 * @throws ApiError `changed-meanwhile` where there is nothing to discard
 */
export function discardChanges(sql: Sql, some: readonly EntryRef[]): Promise<Made> {
  return edit(sql, async (draft) => {
    const isChanged = await rewrite(draft, await draftWithout(draft.sql, some))
    if (!isChanged) throw new ApiError('changed-meanwhile')
  })
}

/**
 * Makes a policy live as a new revision, as `putLive` does.
 *
 * @throws ApiError `nothing-to-put-live`, `refused-by-gateway`
 */
export async function makeLive(
  sql: Sql,
  gateway: Gateway,
  next: Policy,
  author: string,
  note: string,
  again?: number,
): Promise<number> {
  const { policy: live, latest } = await livePolicy(sql)
  const document = canonicalText(next)
  const digest = digestOfText(document)
  if (latest?.digest === digest) throw new ApiError('nothing-to-put-live')
  const proposed = { ...next, overrides: overridesFor(next, live.overrides) }
  const faults = await gateway.check(proposalOf(proposed)).catch(() => null)
  if (faults) {
    await record(sql, 'apply', 'The gateway refused what was to be applied')
    throw new ApiError('refused-by-gateway', '', faults)
  }
  const changed = countChanges(live, next)
  const number = await sql.transaction(async (tx) => {
    const made = await addRevision(tx, { digest, document, author, note, changed })
    const what = again === undefined ? 'applied' : `applied, which is revision ${again} again`
    await record(tx, 'apply', `Revision ${made.number} ${what}${note === '' ? '' : `: ${note}`}`)
    return made.number
  })
  remember(digest, next)
  await tell(sql, 'live')
  return number
}
