import type { WifiAccess } from '../../core/export/wifi.ts'
import type { GuestPassAnswer } from '../../protocol/answers.ts'
import { instant, type Sql } from '../database/database.ts'

/** A guest pass that waits; `present` are the addresses that were there already when it was made. */
export interface WaitingPass {
  readonly id: string
  readonly network: string | null
  readonly lasts: number
  readonly author: string
  readonly present: readonly string[]
}

/** Adds a pass that waits for so many seconds. */
export async function addPass(
  sql: Sql,
  { id, network, lasts, author, present }: WaitingPass,
  waits: number,
): Promise<void> {
  await sql.query(
    `insert into guest_pass (id, network, lasts, until_at, author, present)
    values ($1, $2, $3, now() + make_interval(secs => $4), $5, $6)`,
    [id, network, lasts, waits, author, JSON.stringify(present)],
  )
}

/** The passes that wait, the first made first. */
export async function waitingPasses(sql: Sql): Promise<WaitingPass[]> {
  const rows = await sql.query<Omit<WaitingPass, 'present'> & { present: string }>(
    `select id, network, lasts, author, present from guest_pass
    where used_by is null and until_at > now() order by made_at, id`,
  )
  return rows.map((row) => ({ ...row, present: JSON.parse(row.present) as string[] }))
}

/** The passes that wait, and those of the last hour, the latest first. */
export function latePasses(sql: Sql): Promise<GuestPassAnswer[]> {
  return sql.query(
    `select id, network, lasts, author, used_by as "usedBy", override_id as "override", ${instant('until_at')} as "until"
    from guest_pass where until_at > now() - interval '1 hour' order by made_at desc, id`,
  )
}

/** Says who used a pass, and by which override. */
export async function usePass(sql: Sql, id: string, mac: string, override: string): Promise<void> {
  await sql.query('update guest_pass set used_by = $2, override_id = $3 where id = $1', [id, mac, override])
}

/**
 * Ends a pass that waits.
 *
 * @returns whether there was one
 */
export async function endPass(sql: Sql, id: string): Promise<boolean> {
  const gone = await sql.query('delete from guest_pass where id = $1 and used_by is null returning id', [id])
  return gone.length > 0
}

/** The name and key by which one joins each network, as far as they were given. */
export async function wifiAccess(sql: Sql): Promise<Record<string, WifiAccess>> {
  const rows = await sql.query<WifiAccess & { network: string }>('select network, name, key from wifi')
  return Object.fromEntries(rows.map(({ network, name, key }) => [network, { name, key }]))
}

/** Keeps the name and key by which one joins a network. */
export async function saveWifi(sql: Sql, network: string, { name, key }: WifiAccess): Promise<void> {
  await sql.query(
    `insert into wifi (network, name, key) values ($1, $2, $3)
    on conflict (place, network) do update set name = excluded.name, key = excluded.key`,
    [network, name, key],
  )
}
