import type { WatchedName } from '../../core/evidence/learn.ts'
import type { Lookup } from '../../protocol/gateway/gateway.ts'
import type { Settings } from '../../protocol/gateway/settings.ts'
import type { LookupsAnswer, RefusedAnswer, SeenNameAnswer } from '../../protocol/answers.ts'
import { instant, type Sql } from '../database/database.ts'

/** The runs that are told at a time. */
const AT_ONCE = 200

/** Keeps runs of look-ups; one that is known already takes the count that came last. */
export async function saveLookups(sql: Sql, runs: readonly Lookup[]): Promise<void> {
  await sql.query(
    `insert into lookup (mac, name, effect, first_at, last_at, tries)
    select * from unnest($1::text[], $2::text[], $3::text[], $4::timestamptz[], $5::timestamptz[], $6::int[])
    on conflict (place, mac, name, effect, first_at) do update set last_at = greatest(lookup.last_at, excluded.last_at), tries = greatest(lookup.tries, excluded.tries)`,
    [
      runs.map(({ mac }) => mac),
      runs.map(({ name }) => name),
      runs.map(({ effect }) => effect),
      runs.map(({ first }) => first),
      runs.map(({ last }) => last),
      runs.map(({ tries }) => tries),
    ],
  )
}

/**
 * Forgets what is not kept: what is too old, what an exempt device of the draft looked up, and where nothing
 * is kept all.
 */
export async function forgetLookups(sql: Sql, { kept, days, exempt }: Settings['lookups']): Promise<void> {
  await sql.query(
    `delete from lookup where not $1::boolean or last_at < now() - make_interval(days => $2::int)
    or mac in (select mac from adapter where device_id = any($3::text[]))`,
    [kept, days, exempt],
  )
}

/**
 * The latest runs whose name contains a text, of some adapters (none = all) and with some verdict (empty =
 * any), that began before an instant; `skip` of them are left out.
 */
export async function searchLookups(
  sql: Sql,
  {
    text,
    macs,
    effect,
    until,
    skip,
  }: { text: string; macs: string; effect: string; until: string; skip: number },
): Promise<LookupsAnswer> {
  const runs = await sql.query<Lookup>(
    `select mac, name, effect, ${instant('first_at')} as first, ${instant('last_at')} as last, tries from lookup
    where first_at < $1 and position($2 in name) > 0 and ($3 = '' or mac = any(string_to_array($3, ','))) and ($4 = '' or effect = $4)
    order by last_at desc, name, mac limit ${AT_ONCE + 1} offset $5`,
    [until, text, macs, effect, skip],
  )
  return { runs: runs.slice(0, AT_ONCE), more: runs.length > AT_ONCE }
}

/** Every name that was looked up in the last seven days, by how many adapters and how often. */
export function seenNames(sql: Sql): Promise<SeenNameAnswer[]> {
  return sql.query(`select name, count(distinct mac)::int as adapters, sum(tries)::int as tries, coalesce(sum(tries) filter (where effect = 'block'), 0)::int as blocked, ${instant('max(last_at)')} as last
    from lookup where last_at > now() - interval '7 days' group by name order by name`)
}

/**
 * The names that some adapters looked up in `[from, until)`, whether they did so before it too, and which
 * other adapters look them up.
 */
export async function learnedNames(
  sql: Sql,
  macs: readonly string[],
  from: string,
  until: string,
): Promise<WatchedName[]> {
  const rows = await sql.query<Omit<WatchedName, 'others'> & { others: string | string[] }>(
    `select name, sum(tries)::int as tries, ${instant('min(first_at)')} as first, ${instant('max(last_at)')} as last,
      exists (select 1 from lookup before where before.name = lookup.name and before.mac = any($1::text[]) and before.first_at < $2) as usual,
      (select coalesce(json_agg(distinct other.mac), '[]') from lookup other where other.name = lookup.name and other.mac <> all($1::text[])) as others
    from lookup where mac = any($1::text[]) and last_at >= $2 and first_at < $3 group by name order by name`,
    [macs, from, until],
  )
  return rows.map((row) => ({
    ...row,
    others: typeof row.others === 'string' ? (JSON.parse(row.others) as string[]) : row.others,
  }))
}

/**
 * The names that were blocked most for some adapters in `[from, until)`, by runs that touch it; five at
 * most.
 */
export function refusedNames(
  sql: Sql,
  macs: readonly string[],
  from: string,
  until: string,
): Promise<RefusedAnswer[]> {
  return sql.query(
    `select name, sum(tries)::int as tries from lookup
    where effect = 'block' and mac = any($1::text[]) and last_at >= $2 and first_at < $3
    group by name order by tries desc, name limit 5`,
    [macs, from, until],
  )
}
