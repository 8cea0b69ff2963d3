import type { EntryKind } from '../../core/policy/kinds.ts'
import { rule } from '../../core/policy/parts.ts'
import type { Place } from '../../core/policy/types.ts'
import type { StepsAnswer } from '../../protocol/answers.ts'
import type { Sql } from '../database/database.ts'

/** The number of steps that can be undone. */
const MAX_STEPS = 200

/**
 * One part of the draft as it was and as it is, `null` where it is not there; `at` is its place in its list,
 * counted from 0.
 */
export type DraftChange =
  | {
      readonly kind: EntryKind
      readonly before: { readonly id: string } | null
      readonly after: { readonly id: string } | null
      readonly at: number
    }
  | { readonly kind: 'place'; readonly before: Place; readonly after: Place }
  | {
      readonly kind: 'order'
      readonly of: EntryKind
      readonly before: readonly string[]
      readonly after: readonly string[]
    }

/** One edit of the draft: all that it changed, in order. */
export interface DraftStep {
  readonly number: number
  /** Its author; '' = from before that was noted. */
  readonly author: string
  readonly changes: readonly DraftChange[]
  /** The entry that it is about, in words; '' = from before that was noted. */
  readonly title: string
}

/**
 * Keeps an edit that was made; what had been undone before it can no longer be redone.
 *
 * @returns its number
 */
export async function addStep(
  sql: Sql,
  { changes, author, title }: Omit<DraftStep, 'number'>,
): Promise<number> {
  await sql.query('delete from draft_step where undone')
  const [row] = await sql.query<{ number: number }>(
    'insert into draft_step (changes, author, title) values ($1, $2, $3) returning number',
    [JSON.stringify(changes), author, title],
  )
  // Numbers are those of all places: it is counted what this one has.
  await sql.query(
    'delete from draft_step where number not in (select number from draft_step order by number desc limit $1)',
    [MAX_STEPS],
  )
  return row!.number
}

/** The edit that can be undone, or the one that can be redone; `null` where there is none. */
export async function stepTo(sql: Sql, to: 'undo' | 'redo'): Promise<DraftStep | null> {
  const [row] = await sql.query<{ number: number; author: string; changes: string; title: string }>(
    to === 'undo'
      ? 'select number, author, changes, title from draft_step where not undone order by number desc limit 1'
      : 'select number, author, changes, title from draft_step where undone order by number limit 1',
  )
  return row ? { ...row, changes: (JSON.parse(row.changes) as DraftChange[]).map(whole) } : null
}

// A rule that was written before networks could be named lacks them.
function whole(change: DraftChange): DraftChange {
  if (change.kind !== 'rule') return change
  const read = (entry: { readonly id: string } | null) => entry && rule(entry, '', [])
  return { ...change, before: read(change.before), after: read(change.after) }
}

/** The edit that can be undone and the one that can be redone, by number and title. */
export async function nextSteps(sql: Sql): Promise<StepsAnswer> {
  const rows = await sql.query<{ number: number; title: string; undone: boolean }>(
    `(select number, title, undone from draft_step where not undone order by number desc limit 1)
    union all (select number, title, undone from draft_step where undone order by number limit 1)`,
  )
  const [undo, redo] = [rows.find(({ undone }) => !undone), rows.find(({ undone }) => undone)]
  return {
    undo: undo?.number ?? null,
    redo: redo?.number ?? null,
    titles: { undo: undo?.title ?? '', redo: redo?.title ?? '' },
  }
}

/** Says whether an edit is undone. */
export async function markStep(sql: Sql, number: number, undone: boolean): Promise<void> {
  await sql.query('update draft_step set undone = $2 where number = $1', [number, undone])
}
