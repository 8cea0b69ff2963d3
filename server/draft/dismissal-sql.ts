import type { Sql } from '../database/database.ts'

/** A finding that was dismissed, by its mark, with the reason and by whom. */
export interface Dismissal {
  readonly mark: string
  readonly reason: string
  readonly author: string
}

/** Every finding that was dismissed, the earliest first. */
export function dismissals(sql: Sql): Promise<Dismissal[]> {
  return sql.query<Dismissal>('select mark, reason, author from finding_aside order by set_at')
}

/** Dismisses a finding, or gives its dismissal another reason. */
export async function saveDismissal(sql: Sql, { mark, reason, author }: Dismissal): Promise<void> {
  await sql.query(
    `insert into finding_aside (mark, reason, author) values ($1, $2, $3)
    on conflict (place, mark) do update set reason = $2, author = $3, set_at = now()`,
    [mark, reason, author],
  )
}

/** Shows a finding again; returns whether it was dismissed. */
export async function removeDismissal(sql: Sql, mark: string): Promise<boolean> {
  return (await sql.query('delete from finding_aside where mark = $1 returning mark', [mark])).length > 0
}
