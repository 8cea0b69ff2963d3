import type { EntryKind } from '../../core/policy/kinds.ts'
import type { Sql } from '../database/database.ts'

/** The tables whose rows stand in an order that counts. */
export type Ordered = 'device' | 'network' | 'device_group' | 'schedule' | 'site_list' | 'app' | 'rule'

/** The table of each kind of entries. */
export const TABLES: Readonly<Record<EntryKind, Ordered>> = {
  device: 'device',
  network: 'network',
  group: 'device_group',
  schedule: 'schedule',
  siteList: 'site_list',
  app: 'app',
  rule: 'rule',
}

/** Removes a row with what hangs on it; fails where a rule names it. */
export async function removeRow(sql: Sql, table: Ordered, id: string): Promise<void> {
  await sql.query(`delete from ${table} where id = $1`, [id])
}

/** Puts rows into the order of the ids; those not named keep theirs. */
export async function orderBy(sql: Sql, table: Ordered, ids: readonly string[]): Promise<void> {
  await sql.query(
    `update ${table} set position = listed.position
    from unnest($1::text[]) with ordinality as listed (id, position) where ${table}.id = listed.id`,
    [ids],
  )
}

/** Moves a row to a place in its list, counted from 0; the others keep their order. */
export async function moveTo(sql: Sql, table: Ordered, id: string, at: number): Promise<void> {
  const rows = await sql.query<{ id: string }>(`select id from ${table} where id <> $1 order by position`, [
    id,
  ])
  if (at >= rows.length) return
  await orderBy(sql, table, rows.map((row) => row.id).toSpliced(at, 0, id))
}
