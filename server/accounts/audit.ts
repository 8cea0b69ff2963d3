import Papa from 'papaparse'
import { guard } from '../../core/import/device-csv.ts'
import type { AuditAnswer, AuditKind } from '../../protocol/audit.ts'
import {
  addEntry,
  auditAccounts,
  auditDays,
  saveAuditDays,
  searchEntries,
  type AuditSearch,
} from './audit-sql.ts'
import { actorOf, type Actor, type Sql } from '../database/database.ts'

/** The entries that are shown at a time, and those that are written into a file at a time. */
const SHOWN = 200
const WRITTEN = 2000
/** The longest text of an entry: an import may change ten thousand things. */
const MAX_WORDS_CHARS = 4000

/**
 * Writes into the audit log what is being done, a line for each thing; in the transaction that does it, so
 * that one is not without the other.
 *
 * @param by where it is not the actor of `sql`
 */
export async function record(
  sql: Sql,
  kind: AuditKind,
  words: string,
  by: Actor = actorOf(sql),
): Promise<void> {
  const cut = words.length > MAX_WORDS_CHARS ? `${words.slice(0, MAX_WORDS_CHARS)}…` : words
  await sql.transaction((tx) => addEntry(tx, { ...by, kind, words: cut }))
}

/** The latest entries that match. */
export async function auditAnswer(sql: Sql, search: AuditSearch): Promise<AuditAnswer> {
  const entries = await searchEntries(sql, search, SHOWN + 1)
  return {
    entries: entries.slice(0, SHOWN),
    more: entries.length > SHOWN,
    accounts: await auditAccounts(sql),
    days: await auditDays(sql),
  }
}

/**
 * Every entry that matches as CSV (RFC 4180), the latest first, part by part. That it was written is an
 * entry too.
 */
export async function* auditFile(sql: Sql, search: AuditSearch): AsyncGenerator<string> {
  await record(sql, 'export', 'Audit log exported')
  yield `${Papa.unparse([['time', 'who', 'address', 'kind', 'what']])}\r\n`
  let { before } = search
  for (;;) {
    const entries = await searchEntries(sql, { ...search, before }, WRITTEN)
    if (entries.length === 0) return
    const rows = entries.map(({ at, account, address, kind, words }) =>
      [at, account ?? '', address, kind, words].map(guard),
    )
    yield `${Papa.unparse(rows)}\r\n`
    before = entries.at(-1)!.number
  }
}

/** Sets for how many days entries are kept. */
export function keepFor(sql: Sql, days: number | null): Promise<void> {
  return sql.transaction(async (tx) => {
    await saveAuditDays(tx, days)
    await record(
      tx,
      'settings',
      days === null ? 'Audit log kept for ever' : `Audit log kept for ${days} days`,
    )
  })
}
