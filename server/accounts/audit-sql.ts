import type { AuditEntry, AuditKind } from '../../protocol/audit.ts'
import { HERE, instant, type Sql } from '../database/database.ts'

/**
 * Adds an entry to the audit log. One after the other until each is committed: who follows the log by its
 * numbers misses none.
 */
export async function addEntry(
  sql: Sql,
  { account, address, kind, words }: Pick<AuditEntry, 'account' | 'address' | 'kind' | 'words'>,
): Promise<void> {
  await sql.query(`select pg_advisory_xact_lock(hashtextextended('audit ' || ${HERE}, 0))`)
  await sql.query('insert into audit (account, address, kind, words) values ($1, $2, $3, $4)', [
    account,
    address,
    kind,
    words,
  ])
}

/** The search in the audit log; `null` and '' = anything. Instants in UTC, half-open. */
export interface AuditSearch {
  readonly text: string
  readonly kind: AuditKind | null
  readonly account: string | null
  readonly from: string | null
  readonly until: string | null
  /** Only entries with a lower number. */
  readonly before: number | null
}

/** The latest entries that match, at most so many. */
export function searchEntries(sql: Sql, search: AuditSearch, limit: number): Promise<AuditEntry[]> {
  const pattern = `%${search.text.replaceAll(/[\\%_]/g, '\\$&')}%`
  return sql.query<AuditEntry>(
    `select number, ${instant('at')} as at, account, address, kind, words from audit
    where (words ilike $1 or coalesce(account, '') ilike $1 or address ilike $1)
      and ($2::text is null or kind = $2) and ($3::text is null or account = $3)
      and ($4::timestamptz is null or at >= $4) and ($5::timestamptz is null or at < $5)
      and ($6::int is null or number < $6)
    order by number desc limit $7`,
    [pattern, search.kind, search.account, search.from, search.until, search.before, limit],
  )
}

/** Everybody who is named in the log. */
export async function auditAccounts(sql: Sql): Promise<string[]> {
  const rows = await sql.query<{ account: string }>(
    'select distinct account from audit where account is not null order by account',
  )
  return rows.map(({ account }) => account)
}

/** For how many days entries are kept; `null` = for ever. */
export async function auditDays(sql: Sql): Promise<number | null> {
  const [row] = await sql.query<{ days: number | null }>(
    `select audit_days as days from place where id = ${HERE}`,
  )
  return row!.days
}

/** Sets for how many days entries are kept; `null` = for ever. */
export async function saveAuditDays(sql: Sql, days: number | null): Promise<void> {
  await sql.query(`update place set audit_days = $1 where id = ${HERE}`, [days])
}

/** Forgets the entries that are kept no longer. */
export async function forgetEntries(sql: Sql): Promise<void> {
  await sql.query(
    `delete from audit using place where id = ${HERE} and at < now() - make_interval(days => audit_days)`,
  )
}
