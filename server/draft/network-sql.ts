import type { Network } from '../../core/policy/types.ts'
import type { Sql } from '../database/database.ts'

/** Every network of the draft, in order. */
export async function networks(sql: Sql): Promise<Network[]> {
  const rows = await sql.query<
    Omit<Network, 'interfaces' | 'subnets'> & { interfaces: string; subnets: string }
  >('select id, name, note, interfaces, subnets from network order by position')
  return rows.map((row) => ({
    ...row,
    interfaces: JSON.parse(row.interfaces) as string[],
    subnets: JSON.parse(row.subnets) as string[],
  }))
}

/** Adds a network at the end, or replaces the one with its id. */
export async function saveNetwork(sql: Sql, { id, name, note, interfaces, subnets }: Network): Promise<void> {
  await sql.query(
    `insert into network (id, position, name, note, interfaces, subnets)
    values ($1, (select coalesce(max(position), 0) + 1 from network), $2, $3, $4, $5)
    on conflict (place, id) do update set name = $2, note = $3, interfaces = $4, subnets = $5`,
    [id, name, note, JSON.stringify(interfaces), JSON.stringify(subnets)],
  )
}
