import { ENTRY_KINDS, KINDS, type EntryKey } from '../../core/policy/kinds.ts'
import { tell, type Sql } from '../database/database.ts'

/** The parts of a draft, by the policy's keys. */
export type DraftPart = 'place' | EntryKey
export const DRAFT_PARTS: readonly DraftPart[] = ['place', ...KINDS.map((kind) => ENTRY_KINDS[kind].key)]

/** Of every part the mark that it got when it was last changed. */
export function partMarks(sql: Sql): Promise<{ part: DraftPart; mark: string }[]> {
  return sql.query('select part, mark from draft_part')
}

/** Gives some parts of the draft a new mark, and tells that it has changed. */
export async function touchParts(sql: Sql, parts: readonly DraftPart[]): Promise<void> {
  await sql.query('update draft_part set mark = left(md5(random()::text), 12) where part = any($1::text[])', [
    parts,
  ])
  await tell(sql, 'draft')
}
