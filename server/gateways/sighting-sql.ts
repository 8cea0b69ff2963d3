import type { Sighting } from '../../protocol/gateway/gateway.ts'
import { instant, type Sql } from '../database/database.ts'

/** Every address that was ever seen on the network, the latest first. */
export async function sightings(sql: Sql): Promise<(Sighting & { leftAlone: boolean })[]> {
  const rows = await sql.query<
    Omit<Sighting, 'addresses'> & { addresses: string; leftAlone: boolean }
  >(`select mac, host_name as "hostName", addresses, interface, medium, connected, left_alone as "leftAlone",
    ${instant('first_seen')} as "firstSeen", ${instant('last_seen')} as "lastSeen" from sighting order by last_seen desc, mac`)
  return rows.map((row) => ({ ...row, addresses: JSON.parse(row.addresses) as string[] }))
}

/**
 * Ignores an address among those that are new on the network, or shows it there again; to the rules it stays a
 * newcomer.
 *
 * @returns whether it was ever seen
 */
export async function ignoreSighting(sql: Sql, mac: string, leftAlone: boolean): Promise<boolean> {
  return (
    (await sql.query('update sighting set left_alone = $2 where mac = $1 returning mac', [mac, leftAlone]))
      .length > 0
  )
}

/** The most unknown devices that are remembered: a client that makes up addresses fills no database. */
const MOST_UNKNOWN = 5000

/**
 * Stores what the gateway sees now; an address that it no longer lists stays, as not connected, of unknown
 * devices the latest.
 *
 * @returns those that were never seen before; none where nobody was
 */
export async function saveSightings(sql: Sql, seen: readonly Sighting[]): Promise<Sighting[]> {
  return sql.transaction(async (tx) => {
    const known = new Set((await tx.query<{ mac: string }>('select mac from sighting')).map(({ mac }) => mac))
    await tx.query('update sighting set connected = false where connected and mac <> all($1::text[])', [
      seen.map(({ mac }) => mac),
    ])
    await tx.query(
      `insert into sighting (mac, host_name, addresses, interface, medium, connected, first_seen, last_seen)
      select * from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[], $6::boolean[], $7::timestamptz[], $8::timestamptz[])
      on conflict (place, mac) do update set host_name = coalesce(excluded.host_name, sighting.host_name), addresses = excluded.addresses, interface = excluded.interface,
        medium = coalesce(excluded.medium, sighting.medium), connected = excluded.connected,
        first_seen = least(sighting.first_seen, excluded.first_seen), last_seen = greatest(sighting.last_seen, excluded.last_seen)`,
      [
        seen.map(({ mac }) => mac),
        seen.map(({ hostName }) => hostName),
        seen.map(({ addresses }) => JSON.stringify(addresses)),
        seen.map((seen) => seen.interface),
        seen.map(({ medium }) => medium),
        seen.map(({ connected }) => connected),
        seen.map(({ firstSeen }) => firstSeen),
        seen.map(({ lastSeen }) => lastSeen),
      ],
    )
    await tx.query(
      `delete from sighting where mac in (
        select mac from sighting where mac not in (select mac from adapter) order by connected desc, last_seen desc, mac offset $1)`,
      [MOST_UNKNOWN],
    )
    return known.size === 0 ? [] : seen.filter(({ mac }) => !known.has(mac))
  })
}

const OF_THE_NETWORK = ['sighting', 'lookup', 'usage_hour', 'usage_day', 'spent', 'access_request'] as const

/** Forgets everything that was seen, looked up, used and asked for: the network is another one. */
export async function forgetNetwork(sql: Sql): Promise<void> {
  await sql.exec(OF_THE_NETWORK.map((table) => `delete from ${table}`).join('; '))
}

/** Whether anything is stored that was seen, looked up, used or asked for. */
export async function knowsNetwork(sql: Sql): Promise<boolean> {
  const exist = OF_THE_NETWORK.map((table) => `exists (select from ${table})`)
  const [row] = await sql.query<{ known: boolean }>(`select ${exist.join(' or ')} as known`)
  return row!.known
}
