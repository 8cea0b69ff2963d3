import type { Spent } from '../../core/policy/types.ts'
import { instant, listOf, type Sql } from '../database/database.ts'

/** The age at which the times of used-up allowances are deleted: as for days of use. */
const KEEP_DAYS = 730

/**
 * Returns the times at which allowances were used up, of those that ended after an instant, in the order of
 * time.
 */
export function spentSince(sql: Sql, from: string): Promise<Spent[]> {
  return listOf(
    sql,
    `select rule, nullif(device, '') as device, nullif(mac, '') as mac, ${instant('from_at')} as "from", ${instant('until_at')} as "until"
    from spent where until_at > $1 order by from_at, rule, device, mac`,
    [from],
  )
}

/**
 * Keeps when allowances were used up, by what the gateway told at an instant; what it does not tell of is
 * over by then.
 *
 * @returns those that are new, and whether anything changed
 */
export async function saveSpent(
  sql: Sql,
  told: readonly Spent[],
  at: string,
): Promise<{ readonly fresh: readonly Spent[]; readonly changed: boolean }> {
  const columns = [
    told.map(({ rule }) => rule),
    told.map(({ device }) => device ?? ''),
    told.map(({ mac }) => mac ?? ''),
    told.map(({ from }) => from),
    told.map(({ until }) => until),
  ]
  const listed = `unnest($1::text[], $2::text[], $3::text[], $4::timestamptz[], $5::timestamptz[])`
  const saved = await sql.query<{ rule: string; device: string; mac: string; from: string; fresh: boolean }>(
    `insert into spent select * from ${listed}
    on conflict (place, rule, device, mac, from_at) do update set until_at = excluded.until_at where spent.until_at <> excluded.until_at
    returning rule, device, mac, ${instant('from_at')} as "from", xmax = 0 as fresh`,
    columns,
  )
  const gone = `until_at > $6 and not exists (select from ${listed} as told (rule, device, mac, from_at, until_at)
    where (told.rule, told.device, told.mac, told.from_at) = (spent.rule, spent.device, spent.mac, spent.from_at))`
  const removed = await sql.query(`delete from spent where from_at >= $6 and ${gone} returning rule`, [
    ...columns,
    at,
  ])
  const ended = await sql.query(`update spent set until_at = $6 where ${gone} returning rule`, [
    ...columns,
    at,
  ])
  const isFresh = new Set(
    saved.filter(({ fresh }) => fresh).map((row) => [row.rule, row.device, row.mac, row.from].join(' ')),
  )
  return {
    fresh: told.filter(({ rule, device, mac, from }) =>
      isFresh.has([rule, device ?? '', mac ?? '', from].join(' ')),
    ),
    changed: saved.length + removed.length + ended.length > 0,
  }
}

/** Forgets what is too old. */
export async function forgetSpent(sql: Sql): Promise<void> {
  await sql.query(`delete from spent where until_at < now() - interval '${KEEP_DAYS} days'`)
}
