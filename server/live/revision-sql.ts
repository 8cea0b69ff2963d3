import { digestOfText } from '../../core/policy/canonical.ts'
import type { ChangeCounts } from '../../core/change/entries.ts'
import type { SiteList } from '../../core/policy/types.ts'
import type { RevisionAnswer } from '../../protocol/answers.ts'
import { LONG_LIST } from '../../protocol/brief-list.ts'
import { instant, type Sql } from '../database/database.ts'

/** A policy that was applied, its `document` parsed; `createdAt` is an instant in UTC. */
export interface Revision {
  readonly number: number
  readonly digest: string
  readonly document: unknown
  readonly author: string
  readonly note: string
  readonly createdAt: string
}

const WITHOUT_DOCUMENT = `number, digest, author, note, ${instant('created_at')} as "createdAt"`

type Lists = Pick<SiteList, 'id' | 'entries'>[]

/** The revision that is live, the latest, without its document. `null` before the first. */
export async function liveRevision(sql: Sql): Promise<Omit<Revision, 'document'> | null> {
  const [row] = await sql.query<Omit<Revision, 'document'>>(
    `select ${WITHOUT_DOCUMENT} from revision order by number desc limit 1`,
  )
  return row ?? null
}

/** Every revision without its document, with the counts of what it changed, the latest first. */
export function revisions(sql: Sql): Promise<RevisionAnswer[]> {
  return sql.query(`select ${WITHOUT_DOCUMENT}, changed from revision order by number desc`)
}

/** Reads one revision; `null` = no revision has that number. */
export async function revision(sql: Sql, number: number): Promise<Revision | null> {
  const read = await readRevision(sql, number)
  for (const { list, digest } of read?.longLists ?? [])
    Object.assign(list, { entries: await entriesOf(sql, digest) })
  return read && read.revision
}

/** Reads one revision whose lists have no entries; `null` = no revision has that number. */
export async function revisionWithoutSites(sql: Sql, number: number): Promise<Revision | null> {
  const read = await readRevision(sql, number)
  for (const list of read?.lists ?? []) Object.assign(list, { entries: [] })
  return read && read.revision
}

async function readRevision(sql: Sql, number: number) {
  const [row] = await sql.query<
    Omit<Revision, 'document'> & { document: string; lists: Readonly<Record<string, string>> }
  >(`select ${WITHOUT_DOCUMENT}, document, lists from revision where number = $1`, [number])
  if (!row) return null
  const { document: text, lists: digests, ...rest } = row
  const document = JSON.parse(text) as { siteLists?: Lists }
  const lists = document.siteLists ?? []
  const longLists = lists.flatMap((list) => {
    const digest = digests[list.id]
    return digest === undefined ? [] : [{ list, digest }]
  })
  const revision: Revision = { ...rest, document }
  return { revision, lists, longLists }
}

async function entriesOf(sql: Sql, digest: string): Promise<readonly string[]> {
  const [row] = await sql.query<{ entries: string }>('select entries from list_entries where digest = $1', [
    digest,
  ])
  if (!row) throw new Error(`The entries of a list are missing in the database: ${digest}`)
  return JSON.parse(row.entries) as string[]
}

/**
 * The text of a document without the entries of its long lists, and the digests of these by the ids of the
 * lists.
 */
async function withoutLongLists(sql: Sql, text: string) {
  const lists: Record<string, string> = {}
  // Most have none that is so long.
  if (text.length < LONG_LIST * 4) return { text, lists }
  const document = JSON.parse(text) as { siteLists?: Lists }
  for (const list of document.siteLists ?? []) {
    if ((list.entries?.length ?? 0) < LONG_LIST) continue
    const entries = JSON.stringify(list.entries)
    lists[list.id] = digestOfText(entries)
    Object.assign(list, { entries: [] })
    await sql.query('insert into list_entries (digest, entries) values ($1, $2) on conflict do nothing', [
      lists[list.id],
      entries,
    ])
  }
  return { text: Object.keys(lists).length === 0 ? text : JSON.stringify(document), lists }
}

/**
 * Writes a revision, by the canonical text of its policy, which makes it the live one: from now on, or where
 * the clock was set back, from when the one before was written.
 */
export async function addRevision(
  sql: Sql,
  {
    digest,
    document,
    author,
    note,
    changed,
  }: Pick<Revision, 'digest' | 'author' | 'note'> & {
    readonly document: string
    readonly changed?: ChangeCounts
  },
): Promise<Omit<Revision, 'document'>> {
  const { text, lists } = await withoutLongLists(sql, document)
  const [row] = await sql.query<Omit<Revision, 'document'>>(
    `insert into revision (number, digest, document, lists, author, note, changed, created_at)
     values ((select coalesce(max(number), 0) + 1 from revision), $1, $2, $3, $4, $5, $6,
       greatest(now(), (select max(created_at) from revision)))
     returning ${WITHOUT_DOCUMENT}`,
    [digest, text, JSON.stringify(lists), author, note, changed ? JSON.stringify(changed) : null],
  )
  return row!
}
