import type { Place } from '../../core/policy/types.ts'
import { HERE, type Sql } from './database.ts'
import { FIRST } from '../../protocol/places.ts'

/** The draft's place, `null` before there is one. */
export async function place(sql: Sql): Promise<Place | null> {
  const [row] = await sql.query<Place>(`select name, time_zone as "timeZone" from place where id = ${HERE}`)
  return row ?? null
}

/** The ids of all places, the first made first; that one also where it was not set up yet. */
export async function placeIds(sql: Sql): Promise<string[]> {
  const rows = await sql.query<{ id: string }>('select id from place order by number')
  return [...new Set([FIRST, ...rows.map(({ id }) => id)])]
}

/**
 * Returns the key that tells a place from every other, also from one of the same id that was removed; `null`
 * before it is set up.
 */
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
  // Tables that refer to another were made after it.
  for (const table of (await placeTables(sql)).reverse()) await sql.exec(`delete from "${table}"`)
  await sql.query(`delete from member where place = ${HERE}`)
  await sql.query('delete from account where not exists (select from member where account = name)')
  await sql.query(`delete from place where id = ${HERE}`)
}

/** Whether a made-up network is tried at the place. */
export async function isTrial(sql: Sql): Promise<boolean> {
  const [row] = await sql.query<{ isTrial: boolean }>(
    `select is_trial as "isTrial" from place where id = ${HERE}`,
  )
  return row?.isTrial ?? false
}

/** Begins or ends the trial of a made-up network at the place. */
export async function saveTrial(sql: Sql, isOn: boolean): Promise<void> {
  await sql.query(`update place set is_trial = $1 where id = ${HERE}`, [isOn])
}
