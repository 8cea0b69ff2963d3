import type { Effect, Override } from '../../core/policy/types.ts'
import type { Sql } from './database.ts'

interface Row { id: string, effect: Effect, who: string, from: string, until: string | null, note: string }

const instant = (column: string) => `to_char(${column} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`

/** The overrides that are in force, to come, or ended within the last eight days, in the order in which they were made. */
export async function overrides(sql: Sql): Promise<Override[]> {
  const rows = await sql.query<Row>(`select id, effect, who, ${instant('from_at')} as "from", ${instant('until_at')} as "until", note
    from override where until_at is null or until_at > now() - interval '8 days' order by position`)
  return rows.map(row => ({ ...row, who: JSON.parse(row.who) as Override['who'] }))
}

/** Adds an override. */
export async function addOverride(sql: Sql, { id, effect, who, from, until, note }: Override, author: string): Promise<void> {
  await sql.query('insert into override (id, effect, who, from_at, until_at, author, note) values ($1, $2, $3, $4, $5, $6, $7)',
    [id, effect, JSON.stringify(who), from, until, author, note])
}

/** Sets the end of an override that has not ended; answers whether there was one. */
export async function endOverrideAt(sql: Sql, id: string, until: string | null): Promise<boolean> {
  return (await sql.query('update override set until_at = $2 where id = $1 and (until_at is null or until_at > now()) returning id', [id, until])).length > 0
}

/** Ends an override now, to the second; one that has not begun is gone. Answers whether there was one to end. */
export async function liftOverride(sql: Sql, id: string): Promise<boolean> {
  const gone = await sql.query(`delete from override where id = $1 and from_at >= date_trunc('second', now()) returning id`, [id])
  const ended = await sql.query(`update override set until_at = date_trunc('second', now())
    where id = $1 and (until_at is null or until_at > now()) returning id`, [id])
  return gone.length + ended.length > 0
}
