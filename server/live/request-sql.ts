import type { AccessRequest } from '../../protocol/request.ts'
import { instant, type Sql } from '../database/database.ts'

/** A request that waits for an answer. */
export type WaitingRequest = Pick<AccessRequest, 'id' | 'mac' | 'minutes' | 'words' | 'at'>

/**
 * Stores requests of devices that are not known yet.
 *
 * @returns those that are new
 */
export async function addRequests(sql: Sql, requests: readonly WaitingRequest[]): Promise<WaitingRequest[]> {
  if (requests.length === 0) return []
  const rows = await sql.query<{ id: string }>(
    `insert into access_request (id, mac, minutes, words, asked_at)
    select * from unnest($1::text[], $2::text[], $3::int[], $4::text[], $5::timestamptz[])
    on conflict do nothing returning id`,
    [
      requests.map(({ id }) => id),
      requests.map(({ mac }) => mac),
      requests.map(({ minutes }) => minutes),
      requests.map(({ words }) => words),
      requests.map(({ at }) => at),
    ],
  )
  return requests.filter(({ id }) => rows.some((row) => row.id === id))
}

/** The requests that wait, the first asked first; they do so for so many seconds after they came. */
export function waitingRequests(sql: Sql, waits: number): Promise<WaitingRequest[]> {
  return sql.query<WaitingRequest>(
    `select id, mac, minutes, words, ${instant('asked_at')} as at from access_request
    where granted is null and came_at > now() - make_interval(secs => $1) order by number`,
    [waits],
  )
}

/** A request, and who answered it (`null` = nobody); `null` where there is none. */
export async function requestOf(
  sql: Sql,
  id: string,
): Promise<(WaitingRequest & { answeredBy: string | null }) | null> {
  const [row] = await sql.query<WaitingRequest & { answeredBy: string | null }>(
    `select id, mac, minutes, words, ${instant('asked_at')} as at, answered_by as "answeredBy"
    from access_request where id = $1 for update`,
    [id],
  )
  return row ?? null
}

/** Notes the answer to a request: until when it is granted, `null` = declined. */
export async function saveAnswer(sql: Sql, id: string, until: string | null, author: string): Promise<void> {
  await sql.query(
    `update access_request set granted = $2::timestamptz is not null, until_at = $2, answered_by = $3, answered_at = now()
    where id = $1`,
    [id, until, author],
  )
}

/** The answers that the gateway was not told yet: until when it is granted, `null` = declined. */
export function untoldAnswers(sql: Sql): Promise<{ id: string; until: string | null }[]> {
  return sql.query(
    `select id, ${instant('until_at')} as until from access_request where granted is not null and not is_told`,
  )
}

/** Notes that the gateway was told the answer to a request. */
export async function markTold(sql: Sql, id: string): Promise<void> {
  await sql.query('update access_request set is_told = true where id = $1', [id])
}
