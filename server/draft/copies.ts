import { entriesBetween } from '../../core/change/entries.ts'
import { freeId } from '../../core/policy/id.ts'
import { ENTRY_KINDS, KINDS, type EntryOf } from '../../core/policy/kinds.ts'
import type { Policy } from '../../core/policy/types.ts'
import { entryWords } from '../../core/words/change.ts'
import type { CopiedKind, CopyAnswer } from '../../protocol/places.ts'
import { may } from '../../protocol/roles.ts'
import type { Sql } from '../database/database.ts'
import { placesOf } from '../accounts/people-sql.ts'
import { edit, entriesOf, type Made } from './edit.ts'
import { ApiError } from '../errors.ts'

/** Finds the database of a place by its id; undefined = there is no such place. */
interface OtherPlaces {
  of(id: string): Promise<{ readonly sql: Sql } | undefined>
}

/** Entries of a kind (their ids) at a place. */
export interface CopyWish {
  readonly from: string
  readonly kind: CopiedKind
  readonly ids: readonly string[]
}

type Copied = EntryOf[CopiedKind]

/**
 * Returns the changes that a copy would make to the draft of a place: an entry of the same name is replaced.
 *
 * @throws ApiError `not-your-place`, `not-found`
 */
export async function reviewCopy(
  places: OtherPlaces,
  sql: Sql,
  account: string,
  wish: CopyWish,
): Promise<CopyAnswer[]> {
  const [sent, here] = [await entriesSent(places, sql, account, wish), await entriesOf(sql, wish.kind)]
  return sent.map((entry) => {
    const same = here.find(({ name }) => name === entry.name)
    const after = { ...entry, id: same?.id ?? entry.id }
    const [was, is] = [policyOf(wish.kind, same), policyOf(wish.kind, after)]
    const words = entriesBetween(was, is).flatMap((changed) => entryWords(changed, was, is))
    let does: CopyAnswer['does'] = 'add'
    if (same) does = words.length === 0 ? 'nothing' : 'replace'
    return { name: entry.name, does, words }
  })
}

/** A policy of one entry, or none. */
function policyOf(kind: CopiedKind, entry: Copied | undefined): Policy {
  const parts = KINDS.map((one) => [ENTRY_KINDS[one].key, one === kind && entry ? [entry] : []])
  return { place: { name: '', timeZone: '' }, ...Object.fromEntries(parts) } as Policy
}

/**
 * Copies entries of another place into the draft of this one, as one edit.
 *
 * @throws ApiError `not-your-place`, `not-found`
 */
export async function copyInto(
  places: OtherPlaces,
  sql: Sql,
  account: string,
  wish: CopyWish,
): Promise<Made> {
  const sent = await entriesSent(places, sql, account, wish)
  return edit(sql, async (draft) => {
    for (const entry of sent) {
      const here = await draft.all(wish.kind)
      const id = here.find(({ name }) => name === entry.name)?.id
      const taken = here.map((one) => one.id)
      await draft.put(wish.kind, { ...entry, id: id ?? freeId(entry.name, taken) } as EntryOf[CopiedKind])
    }
  })
}

/** Reads the entries to copy from the draft of their place, which the account must be allowed to read. */
async function entriesSent(
  places: OtherPlaces,
  sql: Sql,
  account: string,
  { from, kind, ids }: CopyWish,
): Promise<Copied[]> {
  const own = (await placesOf(sql, account)).find(({ id }) => id === from)
  const known = await places.of(from)
  if (!own || !known || !may(own.role, 'edit')) throw new ApiError('not-your-place')
  const all: readonly Copied[] = await entriesOf(known.sql, kind)
  return ids.map((id) => {
    const entry = all.find((one) => one.id === id)
    if (!entry) throw new ApiError('not-found', `“${id}” is no longer in the draft of its place.`)
    return entry
  })
}
