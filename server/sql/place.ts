import type { Place } from '../../core/policy/types.ts'
import type { Sql } from './database.ts'

/** The draft's place, `null` before there is one. */
export async function place(sql: Sql): Promise<Place | null> {
  const [row] = await sql.query<Place>('select name, time_zone as "timeZone" from place')
  return row ?? null
}

/** Sets the draft's place. */
export async function savePlace(sql: Sql, { name, timeZone }: Place): Promise<void> {
  await sql.query(
    `insert into place (name, time_zone) values ($1, $2)
    on conflict (only_one) do update set name = $1, time_zone = $2`,
    [name, timeZone],
  )
}
