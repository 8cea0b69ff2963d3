import { KINDS, type EntryKind } from '../../core/policy/kinds.ts'
import type { Place } from '../../core/policy/types.ts'
import { DRAFT_PARTS } from '../draft/draft-part-sql.ts'
import { HERE, type Sql } from './database.ts'
import { FIRST } from '../../protocol/places.ts'
import { TABLES } from '../draft/order-sql.ts'

/** The draft's place, `null` before there is one. */
export async function place(sql: Sql): Promise<Place | null> {
  const [row] = await sql.query<Place>(`select name, time_zone as "timeZone" from place where id = ${HERE}`)
  return row ?? null
}

/** Sets the draft's place. */
export async function savePlace(sql: Sql, { name, timeZone }: Place): Promise<void> {
  await sql.query(
    `insert into place (id, name, time_zone) values (${HERE}, $1, $2)
    on conflict (id) do update set name = $1, time_zone = $2`,
    [name, timeZone],
  )
  await sql.query('insert into draft_part (part) select * from unnest($1::text[]) on conflict do nothing', [
    DRAFT_PARTS,
  ])
}

/** The ids of all places, the first made first; that one also where it was not set up yet. */
export async function placeIds(sql: Sql): Promise<string[]> {
  const rows = await sql.query<{ id: string }>('select id from place order by number')
  return [...new Set([FIRST, ...rows.map(({ id }) => id)])]
}

/** The entries of the draft whose name or note holds a text, and devices by their address; so many at most. */
export function entriesLike(
  sql: Sql,
  text: string,
  limit: number,
): Promise<{ kind: EntryKind; id: string; name: string }[]> {
  const pattern = `%${text.replaceAll(/[\\%_]/g, '\\$&')}%`
  const parts = KINDS.map((kind) => {
    const byMac =
      kind === 'device' ? 'or exists (select from adapter where device_id = device.id and mac ilike $1)' : ''
    return `(select '${kind}' as kind, id, name from ${TABLES[kind]} where name ilike $1 or note ilike $1 ${byMac}
      order by position limit $2)`
  })
  return sql.query(`${parts.join(' union all ')} limit $2`, [pattern, limit])
}

/** What tells a place from every other, also from one of the same id that was removed; `null` before it is set up. */
export async function placeKey(sql: Sql): Promise<string | null> {
  const [row] = await sql.query<{ key: string }>(`select key from place where id = ${HERE}`)
  return row?.key ?? null
}

/** The places of which the router is driven over SSH, which only the process can do that was let in. */
export async function boundPlaces(sql: Sql): Promise<string[]> {
  const rows = await sql.query<{ id: string }>('select id from place where is_bound')
  return rows.map(({ id }) => id)
}

/** Notes whether the router of the place is driven over SSH. */
export async function bindPlace(sql: Sql, isBound: boolean): Promise<void> {
  await sql.query(`update place set is_bound = $1 where id = ${HERE} and is_bound <> $1`, [isBound])
}

/** The tables of which each row belongs to a place. */
export async function placeTables(sql: Sql): Promise<string[]> {
  const rows = await sql.query<{ name: string }>(
    `select relname as name from pg_class where relnamespace = current_schema()::regnamespace and relrowsecurity order by oid`,
  )
  return rows.map(({ name }) => name)
}

/** Removes a place with all that belongs to it, and accounts that may use no other. */
export async function removePlace(sql: Sql): Promise<void> {
  // What refers to something stands in a table that was made after it.
  for (const table of (await placeTables(sql)).reverse()) await sql.exec(`delete from "${table}"`)
  await sql.query(`delete from member where place = ${HERE}`)
  await sql.query('delete from account where not exists (select from member where account = name)')
  await sql.query(`delete from place where id = ${HERE}`)
}
