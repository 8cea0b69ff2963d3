import type { Sql } from './database.ts'

/** A finding that was dismissed, by its mark, with the reason and by whom. */
export interface Aside {
  readonly mark: string
  readonly reason: string
  readonly author: string
}

/** Every finding that was dismissed. */
export function asides(sql: Sql): Promise<Aside[]> {
  return sql.query<Aside>('select mark, reason, author from finding_aside order by set_at')
}

/** Sets a finding aside, or gives it another reason. */
export async function setAside(sql: Sql, { mark, reason, author }: Aside): Promise<void> {
  await sql.query(
    `insert into finding_aside (mark, reason, author) values ($1, $2, $3)
    on conflict (mark) do update set reason = $2, author = $3, set_at = now()`,
    [mark, reason, author],
  )
}

/** Takes a finding up again; answers whether it was dismissed. */
export async function takeUp(sql: Sql, mark: string): Promise<boolean> {
  return (await sql.query('delete from finding_aside where mark = $1 returning mark', [mark])).length > 0
}
