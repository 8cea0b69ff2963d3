import { entriesBetween, type Entry } from '../../core/change/entries.ts'
import { ENTRY_KINDS, KINDS, type EntryKind } from '../../core/policy/kinds.ts'
import type { Policy } from '../../core/policy/types.ts'
import { entryWords } from '../../core/words/change.ts'
import { TABLES } from './order-sql.ts'
import type { Sql } from '../database/database.ts'
import type { DraftChange } from './draft-step-sql.ts'

/** What an edit changed, in words: a line for each change, and the entry that it is about, "rule Quiet bench". */
export interface EditWords {
  readonly lines: string
  readonly title: string
}

/**
 * Returns the changes of the draft in words, as "Rule “Quiet bench” applies to: Apprentices → everyone". Of
 * entries that did not change only their names are read: a list may have a million sites.
 */
export async function changeWords(sql: Sql, changes: readonly DraftChange[]): Promise<EditWords> {
  const names = await entryNames(sql)
  const [was, is] = [withEntries(names, changes, 'before'), withEntries(names, changes, 'after')]
  const entries = entriesBetween(was, is).filter(({ kind }) => kind !== 'order')
  const lines = entries.flatMap((entry) => entryWords(entry, was, is))
  const isMoved = changes.some(({ kind }) => kind === 'order')
  // What came or went says more than what changed with it.
  const telling = entries.toSorted((a, b) => Number(a.change === 'changed') - Number(b.change === 'changed'))
  const titles = [...telling.map(titleOf), ...(isMoved ? ['order of the rules'] : [])]
  const [first = '', ...others] = titles
  return {
    lines: [...new Set([...lines, ...(isMoved ? ['The order of the rules changes'] : [])])].join('\n'),
    title: others.length === 0 ? first : `${first} and ${others.length} more`,
  }
}

function titleOf({ kind, name }: Entry): string {
  if (kind === 'place') return 'name or time zone'
  return kind === 'order' ? 'order of the rules' : `${ENTRY_KINDS[kind].word} ${name}`
}

/** A policy whose entries have their ids and names alone. */
async function entryNames(sql: Sql): Promise<Policy> {
  const parts = KINDS.map((kind) => `select '${kind}' as kind, id, name from ${TABLES[kind]}`)
  const rows = await sql.query<{ kind: EntryKind; id: string; name: string }>(parts.join(' union all '))
  const named = KINDS.map((kind) => [ENTRY_KINDS[kind].key, rows.filter((row) => row.kind === kind)])
  return { place: { name: '', timeZone: '' }, ...Object.fromEntries(named) } as Policy
}

/** The names with what the changes say of entries before or after them. */
function withEntries(names: Policy, changes: readonly DraftChange[], side: 'before' | 'after'): Policy {
  let policy = names
  // Of several changes of one entry the first says how it was, the last how it is.
  for (const change of side === 'before' ? changes.toReversed() : changes) {
    if (change.kind === 'order') continue
    if (change.kind === 'place') {
      policy = { ...policy, place: change[side] }
      continue
    }
    const { key } = ENTRY_KINDS[change.kind]
    const { id } = (change.before ?? change.after)!
    const others = (policy[key] as readonly { id: string }[]).filter((entry) => entry.id !== id)
    const entry = change[side]
    policy = { ...policy, [key]: entry === null ? others : [...others, entry] }
  }
  return policy
}
