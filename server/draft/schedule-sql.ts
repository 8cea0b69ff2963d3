import type { Schedule } from '../../core/policy/types.ts'
import { listOf, type Sql } from '../database/database.ts'

/** Every schedule of the draft with its exceptions, in order. */
export function schedules(sql: Sql): Promise<Schedule[]> {
  return listOf<Schedule>(
    sql,
    `select id, name, week, note, coalesce(exceptions, '[]') as exceptions from schedule
    left join (select schedule_id, json_agg(json_build_object('from', from_date::text, 'until', until_date::text, 'hours', hours, 'name', name) order by position) as exceptions
      from schedule_exception group by schedule_id) listed on schedule_id = id order by position`,
  )
}

/** Adds a schedule at the end, or replaces the one with its id, exceptions and all. */
export async function saveSchedule(sql: Sql, { id, name, week, note, exceptions }: Schedule): Promise<void> {
  await sql.query(
    `insert into schedule (id, position, name, week, note)
    values ($1, (select coalesce(max(position), 0) + 1 from schedule), $2, $3, $4)
    on conflict (place, id) do update set name = $2, week = $3, note = $4`,
    [id, name, week, note],
  )
  await sql.query('delete from schedule_exception where schedule_id = $1', [id])
  await sql.query(
    `insert into schedule_exception (schedule_id, position, from_date, until_date, hours, name)
    select $1, position, from_date, until_date, hours, name
    from unnest($2::date[], $3::date[], $4::text[], $5::text[]) with ordinality as listed (from_date, until_date, hours, name, position)`,
    [
      id,
      exceptions.map(({ from }) => from),
      exceptions.map(({ until }) => until),
      exceptions.map(({ hours }) => hours),
      exceptions.map(({ name }) => name),
    ],
  )
}
