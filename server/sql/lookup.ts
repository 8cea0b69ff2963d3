import type { Lookup } from '../../gateway/protocol.ts'
import type { LearnedAnswer, SeenNameAnswer } from '../../shared/answers.ts'
import { instant, type Sql } from './database.ts'

/** How long look-ups are kept. */
const KEPT = `interval '14 days'`

/** Keeps runs of look-ups; one that is known already takes the count that came last. Those that are too old go. */
export async function saveLookups(sql: Sql, runs: readonly Lookup[]): Promise<void> {
  await sql.query(`insert into lookup (mac, name, effect, first_at, last_at, tries)
    select * from unnest($1::text[], $2::text[], $3::text[], $4::timestamptz[], $5::timestamptz[], $6::int[])
    on conflict (mac, name, effect, first_at) do update set last_at = greatest(lookup.last_at, excluded.last_at), tries = greatest(lookup.tries, excluded.tries)`,
  [runs.map(({ mac }) => mac), runs.map(({ name }) => name), runs.map(({ effect }) => effect), runs.map(({ first }) => first), runs.map(({ last }) => last), runs.map(({ tries }) => tries)])
  await sql.query(`delete from lookup where last_at < now() - ${KEPT}`)
}

/** Every name that was looked up in the last seven days, by how many adapters and how often. */
export function seenNames(sql: Sql): Promise<SeenNameAnswer[]> {
  return sql.query(`select name, count(distinct mac)::int as adapters, sum(tries)::int as tries, coalesce(sum(tries) filter (where effect = 'block'), 0)::int as blocked, ${instant('max(last_at)')} as last
    from lookup where last_at > now() - interval '7 days' group by name order by name`)
}

/** The names that some adapters looked up in `[from, until)`, whether they did so before it too, and which other adapters look them up. */
export async function learnedNames(sql: Sql, macs: readonly string[], from: string, until: string): Promise<LearnedAnswer[]> {
  const rows = await sql.query<Omit<LearnedAnswer, 'others'> & { others: string | string[] }>(`select name, sum(tries)::int as tries, ${instant('min(first_at)')} as first, ${instant('max(last_at)')} as last,
      exists (select 1 from lookup before where before.name = lookup.name and before.mac = any($1::text[]) and before.first_at < $2) as usual,
      (select coalesce(json_agg(distinct other.mac), '[]') from lookup other where other.name = lookup.name and other.mac <> all($1::text[])) as others
    from lookup where mac = any($1::text[]) and last_at >= $2 and first_at < $3 group by name order by name`, [macs, from, until])
  return rows.map(row => ({ ...row, others: typeof row.others === 'string' ? JSON.parse(row.others) as string[] : row.others }))
}
