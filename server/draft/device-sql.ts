import type { Device, Group } from '../../core/policy/types.ts'
import { listOf, type Sql } from '../database/database.ts'

/** Every device of the draft with its adapters, in order. */
export function devices(sql: Sql): Promise<Device[]> {
  // Gathered once for all: a subquery for each of five hundred rows takes four times as long.
  return listOf<Device>(
    sql,
    `select id, name, kind, shielded, note, coalesce(adapters, '[]') as adapters from device
    left join (select device_id, json_agg(json_build_object('mac', mac, 'medium', medium) order by position) as adapters from adapter group by device_id) listed
      on device_id = id order by position`,
  )
}

/**
 * Adds a device at the end, or replaces the one with its id, adapters and all. Fails where another device has
 * one of the addresses.
 */
export async function saveDevice(
  sql: Sql,
  { id, name, kind, shielded, note, adapters }: Device,
): Promise<void> {
  await sql.query(
    `insert into device (id, position, name, kind, shielded, note)
    values ($1, (select coalesce(max(position), 0) + 1 from device), $2, $3, $4, $5)
    on conflict (place, id) do update set name = $2, kind = $3, shielded = $4, note = $5`,
    [id, name, kind, shielded, note],
  )
  await freeAdapters(sql, [id])
  await sql.query(
    `insert into adapter (mac, device_id, position, medium)
    select mac, $1, position, medium from unnest($2::text[], $3::text[]) with ordinality as listed (mac, medium, position)`,
    [id, adapters.map(({ mac }) => mac), adapters.map(({ medium }) => medium)],
  )
}

/** Takes all adapters from some devices, so that they can be given out anew, in any order. */
export async function freeAdapters(sql: Sql, ids: readonly string[]): Promise<void> {
  await sql.query('delete from adapter where device_id = any($1::text[])', [ids])
}

/** The device, if any, that has one of the addresses and is not `except`. */
export async function holderOf(
  sql: Sql,
  macs: readonly string[],
  except: string,
): Promise<{ mac: string; name: string } | null> {
  const [row] = await sql.query<{ mac: string; name: string }>(
    `select mac, name from adapter join device on device.id = device_id
    where mac = any($1::text[]) and device_id <> $2 limit 1`,
    [macs, except],
  )
  return row ?? null
}

/** Every group of the draft with its members, in order. */
export function groups(sql: Sql): Promise<Group[]> {
  return listOf<Group>(
    sql,
    `select id, name, is_person as person, note, coalesce((
      select json_agg(device_id order by position) from group_member where group_id = device_group.id
    ), '[]') as members from device_group order by position`,
  )
}

/** Adds a group at the end, or replaces the one with its id, members and all. */
export async function saveGroup(sql: Sql, { id, name, note, members, person = false }: Group): Promise<void> {
  await sql.query(
    `insert into device_group (id, position, name, note, is_person)
    values ($1, (select coalesce(max(position), 0) + 1 from device_group), $2, $3, $4)
    on conflict (place, id) do update set name = $2, note = $3, is_person = $4`,
    [id, name, note, person],
  )
  await sql.query('delete from group_member where group_id = $1', [id])
  await sql.query(
    `insert into group_member (group_id, device_id, position, is_owner)
    select $1, member, position, $3 from unnest($2::text[]) with ordinality as listed (member, position)`,
    [id, [...new Set(members)], person],
  )
}
