import type { UsageAnswer } from '../../protocol/answers.ts'
import type { Settings } from '../../protocol/gateway/settings.ts'
import type { UsageHour } from '../../protocol/gateway/usage.ts'
import { instant, listOf, type Sql } from '../database/database.ts'

/** The days for which hours are kept, and after them days. */
const HOURS_KEPT = 60
const DAYS_KEPT = 730

/** The sums over rows, as SQL. */
const SUMS = `sum(sent_bytes)::bigint as sent, sum(received_bytes)::bigint as received,
  sum(sent_packets + received_packets)::bigint as packets, sum(dropped)::bigint as dropped`

/** Keeps hours of use; one that is known already takes the counts that came last. */
export async function saveUsage(sql: Sql, hours: readonly UsageHour[]): Promise<void> {
  const counts = (pick: (hour: UsageHour) => number) => hours.map(pick)
  const latest = (column: string) => `${column} = greatest(usage_hour.${column}, excluded.${column})`
  await sql.query(
    `insert into usage_hour (hour, mac, network, run, sent_packets, sent_bytes, received_packets, received_bytes, dropped, minutes)
    select * from unnest($1::timestamptz[], $2::text[], $3::text[], $4::text[], $5::bigint[], $6::bigint[], $7::bigint[], $8::bigint[], $9::bigint[], $10::int[])
    on conflict (place, hour, mac, network, run) do update set ${['sent_packets', 'sent_bytes', 'received_packets', 'received_bytes', 'dropped', 'minutes'].map(latest).join(', ')}`,
    [
      hours.map(({ hour }) => hour),
      hours.map(({ mac }) => mac),
      hours.map(({ network }) => network ?? ''),
      hours.map(({ run }) => run),
      counts(({ sent }) => sent.packets),
      counts(({ sent }) => sent.bytes),
      counts(({ received }) => received.packets),
      counts(({ received }) => received.bytes),
      counts(({ dropped }) => dropped),
      counts(({ minutes }) => minutes),
    ],
  )
}

/**
 * Forgets what is not kept: what an exempt device of the draft used, and where nothing is counted all.
 */
export async function forgetUsage(sql: Sql, { kept, exempt }: Settings['usage']): Promise<void> {
  for (const table of ['usage_hour', 'usage_day'])
    await sql.query(
      `delete from ${table} where not $1::boolean or mac in (select mac from adapter where device_id = any($2::text[]))`,
      [kept, exempt],
    )
}

/** Makes days of a zone's calendar of hours that are not kept any longer, and forgets the oldest days. */
export async function condenseUsage(sql: Sql, zone: string): Promise<void> {
  const sums = ['sent_packets', 'sent_bytes', 'received_packets', 'received_bytes', 'dropped', 'minutes']
  await sql.query(
    `with gone as (delete from usage_hour where hour < now() - interval '${HOURS_KEPT} days' returning *)
    insert into usage_day (day, mac, network, ${sums.join(', ')})
    select (hour at time zone $1)::date, mac, network, ${sums.map((column) => `sum(${column})`).join(', ')} from gone group by 1, 2, 3
    on conflict (place, day, mac, network) do update set ${sums.map((column) => `${column} = usage_day.${column} + excluded.${column}`).join(', ')}`,
    [zone],
  )
  await sql.query(`delete from usage_day where day < current_date - ${DAYS_KEPT}`)
}

/**
 * Returns the usage in `[from, until)` by adapter, network and hour, as far back as hours are kept; `at` is the
 * instant at which the hour begins. `macs` = only of these; empty = of all.
 */
export function usageByHour(
  sql: Sql,
  from: string,
  until: string,
  macs: readonly string[],
): Promise<UsageAnswer[]> {
  return listOf(
    sql,
    `select mac, network, ${instant('hour')} as at, ${SUMS}, least(60, sum(minutes))::int as minutes from usage_hour
    where hour >= $1 and hour < $2 and ($3::text[] = '{}' or mac = any($3)) group by hour, mac, network order by hour, mac, network`,
    [from, until, macs],
  )
}

/** The same by day of a zone's calendar, as far back as days are kept; `at` is the date. */
export function usageByDay(
  sql: Sql,
  from: string,
  until: string,
  macs: readonly string[],
  zone: string,
): Promise<UsageAnswer[]> {
  return listOf(
    sql,
    `select mac, network, to_char(day, 'YYYY-MM-DD') as at, ${SUMS}, sum(minutes)::int as minutes from (
      select (hour at time zone $4)::date as day, mac, network, sent_bytes, received_bytes, sent_packets, received_packets, dropped, minutes from usage_hour where hour >= $1 and hour < $2
      union all
      select day, mac, network, sent_bytes, received_bytes, sent_packets, received_packets, dropped, minutes from usage_day
      where day >= ($1::timestamptz at time zone $4)::date and day < ($2::timestamptz at time zone $4)::date
    ) used where $3::text[] = '{}' or mac = any($3) group by day, mac, network order by day, mac, network`,
    [from, until, macs, zone],
  )
}
