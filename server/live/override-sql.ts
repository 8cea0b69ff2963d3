import { overrideWhat, overrideWho } from '../../core/policy/parts.ts'
import type { Fault } from '../../core/policy/shape.ts'
import type { Amount, Effect, Override } from '../../core/policy/types.ts'
import type { OverrideActAnswer as OverrideAct } from '../../protocol/answers.ts'
import { instant, type Sql } from '../database/database.ts'

interface Row {
  id: string
  effect: Effect
  who: string
  what: unknown
  more: Amount | null
  from: string
  until: string | null
  note: string
}

/**
 * The overrides that are in force, to come, or ended within the last eight days, in the order in which they
 * were made.
 */
export function overrides(sql: Sql): Promise<Override[]> {
  return overridesSince(sql, new Date(Date.now() - 8 * 86_400_000).toISOString())
}

/**
 * The overrides that were in force at an instant or after it, in the order in which they were made, each with
 * the end that it really had.
 */
export async function overridesSince(sql: Sql, from: string): Promise<Override[]> {
  const rows = await sql.query<Row>(
    `select id, effect, who, what, more, ${instant('from_at')} as "from", ${instant('until_at')} as "until", note
    from override where until_at is null or until_at > $1 order by position`,
    [from],
  )
  return rows.map(withParts)
}

/** A row with whom and what it is about. Rows lack what could not be named when they were made. */
function withParts<R extends { readonly who: string; readonly what: unknown }>(
  row: R,
): Omit<R, 'who' | 'what'> & Pick<Override, 'who' | 'what'> {
  const faults: Fault[] = []
  const who = overrideWho(JSON.parse(row.who), 'who', faults)
  const what = overrideWhat(row.what, 'what', faults)
  if (faults.length > 0)
    throw new Error(`An override in the database cannot be read: ${faults[0]!.path} ${faults[0]!.message}`)
  return { ...row, who, what }
}

/** Adds an override, and to the history by whom. */
export async function addOverride(
  sql: Sql,
  { id, effect, who, what, more, from, until, note }: Override,
  author: string,
): Promise<void> {
  await sql.transaction(async (tx) => {
    await tx.query(
      `insert into override (id, effect, who, what, from_at, until_at, author, note, more)
      values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
      [
        ...[id, effect, JSON.stringify(who), what && JSON.stringify(what)],
        ...[from, until, author, note, more && JSON.stringify(more)],
      ],
    )
    await keepAct(tx, id, 'made', author)
  })
}

/**
 * Sets the end of an override that has not ended.
 *
 * @returns whether there was one
 */
export async function endOverrideAt(
  sql: Sql,
  id: string,
  until: string | null,
  author: string,
): Promise<boolean> {
  return sql.transaction(async (tx) => {
    const changed = await tx.query(
      'update override set until_at = $2 where id = $1 and (until_at is null or until_at > now()) returning id',
      [id, until],
    )
    if (changed.length > 0) await keepAct(tx, id, 'changed', author)
    return changed.length > 0
  })
}

/**
 * Ends an override now, to the second; one that has not begun is gone.
 *
 * @returns whether there was one to end
 */
export async function liftOverride(sql: Sql, id: string, author: string): Promise<boolean> {
  return sql.transaction(async (tx) => {
    const [there] = await tx.query(
      'select id from override where id = $1 and (until_at is null or until_at > now())',
      [id],
    )
    if (!there) return false
    await keepAct(tx, id, 'lifted', author)
    await tx.query(`delete from override where id = $1 and from_at >= date_trunc('second', now())`, [id])
    await tx.query(`update override set until_at = date_trunc('second', now()) where id = $1`, [id])
    return true
  })
}

/** Returns the author of an override; `null` = there is no such override. */
export async function overrideAuthor(sql: Sql, id: string): Promise<string | null> {
  const [row] = await sql.query<{ author: string }>('select author from override where id = $1', [id])
  return row?.author ?? null
}

/** Returns the last acts on overrides, the latest first, at most `limit`. */
export async function overrideActs(sql: Sql, limit: number): Promise<OverrideAct[]> {
  const rows = await sql.query<Omit<OverrideAct, 'who' | 'what'> & { who: string; what: unknown }>(
    `select override_id as "override", act, effect, who, what, more, ${instant('until_at')} as "until", note, author, ${instant('done_at')} as "at"
    from override_act order by number desc limit $1`,
    [limit],
  )
  return rows.map(withParts)
}

async function keepAct(sql: Sql, id: string, act: OverrideAct['act'], author: string): Promise<void> {
  await sql.query(
    `insert into override_act (override_id, act, effect, who, what, more, until_at, note, author)
    select id, $2, effect, who, what, more, until_at, note, $3 from override where id = $1`,
    [id, act, author],
  )
}
