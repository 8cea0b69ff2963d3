import type { GivenSource, ListChange, ListSource, ListSourceAnswer } from '../../protocol/list-source.ts'
import { instant, type Sql } from '../database/database.ts'

/** A source with what is needed to ask it anew. */
export interface StoredSource extends ListSource {
  readonly list: string
  /** By which transfers are signed, as `algorithm:name:secret`; '' = none. */
  readonly key: string
  readonly etag: string | null
  readonly modified: string | null
  /** The mark of what was declined last; `null` = nothing. */
  readonly declined: string | null
  readonly trouble: string
}

/** A copy of a zone: its serial, and its records as lines "owner type data", owners relative to the zone. */
export interface ZoneText {
  readonly serial: number
  readonly text: string
}

/** Sites that wait for review. */
export interface WaitingList extends ListChange {
  readonly entries: readonly string[]
  readonly sample: readonly string[]
  readonly why: string
}

const SOURCE = `list, url, every_hours as hours, share, inside`

/** Every source and what became of it. */
export async function listSources(sql: Sql): Promise<ListSourceAnswer[]> {
  const rows = await sql.query<
    Omit<ListSourceAnswer, 'change' | 'waiting'> & {
      change: ListChange | null
      waiting: ListSourceAnswer['waiting']
    }
  >(
    `select ${SOURCE}, split_part(key, ':', 2) as "keyName", ${instant('checked_at')} as "checkedAt", ${instant('changed_at')} as "changedAt",
    change, trouble,
    waiting - 'entries' as waiting from list_source order by list`,
  )
  return rows
}

/** One source; `null` where the list has none. */
export async function listSource(sql: Sql, list: string): Promise<StoredSource | null> {
  const [row] = await sql.query<StoredSource>(
    `select ${SOURCE}, key, etag, modified, declined, trouble from list_source where list = $1`,
    [list],
  )
  return row ?? null
}

/**
 * The lists whose time it is: those that could not be read are tried again after an hour, then two, four, up
 * to a day, and after those that could.
 */
export async function dueSources(sql: Sql): Promise<string[]> {
  const rows = await sql.query<{ list: string }>(
    `select list from list_source where checked_at is null
    or checked_at < now() - make_interval(hours => case when failures = 0 then every_hours
      else least(24, (2 ^ least(failures - 1, 5))::int) end)
    order by failures, checked_at nulls first`,
  )
  return rows.map(({ list }) => list)
}

/** Has the source of a list be asked when it is looked next what is due. */
export async function makeDue(sql: Sql, list: string): Promise<void> {
  await sql.query('update list_source set checked_at = null where list = $1', [list])
}

/** Sets the source of a list; another address is asked anew. A key of `null` stays. */
export async function saveListSource(
  sql: Sql,
  list: string,
  { url, hours, share, inside, key }: GivenSource,
): Promise<void> {
  await sql.query(
    `insert into list_source (list, url, every_hours, share, inside, key)
    values ($1, $2, $3, $4, $5, coalesce($6, ''))
    on conflict (place, list) do update set every_hours = $3, share = $4, inside = $5, url = $2,
      key = coalesce($6, list_source.key),
      etag = case when list_source.url = $2 then list_source.etag end,
      modified = case when list_source.url = $2 then list_source.modified end,
      checked_at = case when list_source.url = $2 then list_source.checked_at end,
      failures = case when list_source.url = $2 then list_source.failures else 0 end,
      waiting = case when list_source.url = $2 then list_source.waiting end`,
    [list, url, hours, share, inside, key],
  )
}

/** Takes the source of a list away; whether there was one. */
export async function removeListSource(sql: Sql, list: string): Promise<boolean> {
  return (await sql.query('delete from list_source where list = $1 returning list', [list])).length > 0
}

/** Notes that a source was asked: why in vain, or with which validators it answered. */
export async function noteChecked(
  sql: Sql,
  list: string,
  { etag, modified, trouble }: Pick<StoredSource, 'etag' | 'modified' | 'trouble'>,
): Promise<void> {
  await sql.query(
    `update list_source set checked_at = now(), etag = $2, modified = $3, trouble = $4,
    failures = case when $4 = '' then 0 else failures + 1 end where list = $1`,
    [list, etag, modified, trouble],
  )
}

/** Notes that a list was changed by its source. */
export async function noteChanged(sql: Sql, list: string, change: ListChange): Promise<void> {
  await sql.query(
    'update list_source set changed_at = now(), change = $2, waiting = null, declined = null where list = $1',
    [list, JSON.stringify(change)],
  )
}

/**
 * Lets sites wait for review, or with `null` none any longer; `declined` marks what nobody wants to see
 * again.
 */
export async function setWaiting(
  sql: Sql,
  list: string,
  waiting: WaitingList | null,
  declined: string | null = null,
): Promise<void> {
  await sql.query('update list_source set waiting = $2, declined = $3 where list = $1', [
    list,
    waiting && JSON.stringify(waiting),
    declined,
  ])
}

/** The sites of a list that wait; `null` where none do. */
export async function waitingList(sql: Sql, list: string): Promise<WaitingList | null> {
  const [row] = await sql.query<{ waiting: WaitingList | null }>(
    'select waiting from list_source where list = $1',
    [list],
  )
  return row?.waiting ?? null
}

/** The zone that a list was transferred from last; `null` = none is known. */
export async function zoneCopy(sql: Sql, list: string): Promise<ZoneText | null> {
  const [row] = await sql.query<{ serial: string; text: string }>(
    'select serial, lines as text from list_copy where list = $1',
    [list],
  )
  return row ? { serial: Number(row.serial), text: row.text } : null
}

/** Keeps the zone that a list was transferred from; `null` = none. */
export async function saveZoneCopy(sql: Sql, list: string, copy: ZoneText | null): Promise<void> {
  if (copy)
    await sql.query(
      `insert into list_copy (list, serial, lines) values ($1, $2, $3)
      on conflict (place, list) do update set serial = $2, lines = $3`,
      [list, copy.serial, copy.text],
    )
  else await sql.query('delete from list_copy where list = $1', [list])
}

/** The lists whose sources are zones, with their addresses and keys. */
export function zoneSources(sql: Sql): Promise<{ list: string; url: string; key: string }[]> {
  return sql.query(`select list, url, key from list_source where url ~* '^dns:' order by list`)
}
