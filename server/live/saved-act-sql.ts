import { savedActReader, type SavedActForm } from '../../protocol/edits.ts'
import type { SavedActAnswer } from '../../protocol/answers.ts'
import type { Fault } from '../../core/policy/shape.ts'
import type { Sql } from '../database/database.ts'

interface Row {
  id: string
  name: string
  act: object
  author: string
}

/** Every saved act, the first saved first. */
export async function savedActs(sql: Sql): Promise<SavedActAnswer[]> {
  const rows = await sql.query<Row>('select id, name, act, author from saved_act order by position')
  return rows.map(answerOf)
}

function answerOf({ id, name, act, author }: Row): SavedActAnswer {
  const faults: Fault[] = []
  const read = savedActReader({ ...act, name }, '', faults)
  if (faults.length > 0)
    throw new Error(`A saved act in the database cannot be read: ${faults[0]!.path} ${faults[0]!.message}`)
  return { ...read, id, author }
}

/** Adds a saved act; returns whether no other has its name. */
export async function addSavedAct(
  sql: Sql,
  { id, name, effect, who, what, lasts }: SavedActForm & { readonly id: string },
  author: string,
): Promise<boolean> {
  const added = await sql.query(
    `insert into saved_act (id, name, act, author) values ($1, $2, $3, $4)
    on conflict (place, name) do nothing returning id`,
    [id, name, JSON.stringify({ effect, who, what, lasts }), author],
  )
  return added.length > 0
}

/** Deletes a saved act; returns its name, `null` = it was not there. */
export async function removeSavedAct(sql: Sql, id: string): Promise<string | null> {
  const [row] = await sql.query<{ name: string }>('delete from saved_act where id = $1 returning name', [id])
  return row?.name ?? null
}
