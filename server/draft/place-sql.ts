import type { Place } from '../../core/policy/types.ts'
import { HERE, type Sql } from '../database/database.ts'
import { DRAFT_PARTS } from './draft-part-sql.ts'

/** Sets the draft's place. */
export async function savePlace(sql: Sql, { name, timeZone }: Place): Promise<void> {
  await sql.query(
    `insert into place (id, name, time_zone) values (${HERE}, $1, $2)
    on conflict (id) do update set name = $1, time_zone = $2`,
    [name, timeZone],
  )
  await sql.query('insert into draft_part (part) select * from unnest($1::text[]) on conflict do nothing', [
    DRAFT_PARTS,
  ])
}
