import type { App, SiteList } from '../../core/policy/types.ts'
import { LONG_LIST, type BriefList, type Elsewhere } from '../../protocol/brief-list.ts'
import { listOf, type Sql } from '../database/database.ts'

/** Every site list of the draft with its entries, in order. */
export async function siteLists(sql: Sql): Promise<SiteList[]> {
  const rows = await sql.query<Omit<SiteList, 'entries'> & { entries: string }>(
    'select id, name, note, entries from site_list order by position',
  )
  return rows.map((row) => ({ ...row, entries: JSON.parse(row.entries) as string[] }))
}

/** Every site list of the draft, in order, long ones without their sites. */
export async function briefLists(sql: Sql): Promise<BriefList[]> {
  const rows = await sql.query<Omit<SiteList, 'entries'> & Elsewhere & { entries: string | null }>(
    `select id, name, note, digest, count, case when count < ${LONG_LIST} then entries end as entries
    from site_list order by position`,
  )
  return rows.map(({ digest, count, entries, ...row }) =>
    entries === null
      ? { ...row, entries: [], long: { digest, count } }
      : { ...row, entries: JSON.parse(entries) as string[] },
  )
}

/** The sites with a digest, as JSON, out of the draft or a revision; `null` = there are none. */
export async function sitesWith(sql: Sql, digest: string): Promise<string | null> {
  const [row] = await sql.query<{ entries: string }>(
    `(select entries from site_list where digest = $1 limit 1)
    union all (select entries from list_entries where digest = $1
      and exists (select from revision, jsonb_each_text(lists) where value = $1)) limit 1`,
    [digest],
  )
  return row?.entries ?? null
}

/** Adds a site list at the end, or replaces the one with its id, entries and all. */
export async function saveSiteList(sql: Sql, { id, name, note, entries }: SiteList): Promise<void> {
  await sql.query(
    `insert into site_list (id, position, name, note, entries, digest, count)
    values ($1, (select coalesce(max(position), 0) + 1 from site_list), $2, $3, $4,
      encode(sha256(convert_to($4, 'UTF8')), 'hex'), $5)
    on conflict (place, id) do update set name = $2, note = $3, entries = $4, digest = excluded.digest, count = $5`,
    [id, name, note, JSON.stringify(entries), entries.length],
  )
}

/** Every app of the draft, in order. */
export function apps(sql: Sql): Promise<App[]> {
  const parts = (kind: string) =>
    `coalesce((select json_agg(value order by position) from app_part where app_id = app.id and kind = '${kind}'), '[]')`
  return listOf<App>(
    sql,
    `select id, name, category, note, ${parts('site')} as sites, ${parts('service')} as services from app order by position`,
  )
}

/** Adds an app at the end, or replaces the one with its id, sites and services and all. */
export async function saveApp(sql: Sql, { id, name, category, note, sites, services }: App): Promise<void> {
  await sql.query(
    `insert into app (id, position, name, category, note)
    values ($1, (select coalesce(max(position), 0) + 1 from app), $2, $3, $4)
    on conflict (place, id) do update set name = $2, category = $3, note = $4`,
    [id, name, category, note],
  )
  await sql.query('delete from app_part where app_id = $1', [id])
  for (const [kind, values] of [
    ['site', sites],
    ['service', services],
  ] as const) {
    await sql.query(
      `insert into app_part (app_id, kind, position, value)
      select $1, $2, position, value from unnest($3::text[]) with ordinality as listed (value, position)`,
      [id, kind, values],
    )
  }
}
