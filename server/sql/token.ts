import { instant, type Sql } from './database.ts'

/**
 * A token by which a program may ask what is live: what it is for, by whom and when it was made, and when it
 * was last used (instants in UTC).
 */
export interface Token {
  readonly id: string
  readonly name: string
  readonly author: string
  readonly madeAt: string
  readonly usedAt: string | null
}

/** Every token that was not revoked, the newest first. */
export function tokens(sql: Sql): Promise<Token[]> {
  return sql.query<Token>(
    `select id, name, account as author, ${instant('made_at')} as "madeAt", ${instant('used_at')} as "usedAt" from token order by made_at desc, id`,
  )
}

/** Keeps a new token by its hash. */
export async function addToken(
  sql: Sql,
  { id, name, author, hash }: { id: string; name: string; author: string; hash: string },
): Promise<void> {
  await sql.query('insert into token (id, name, account, token_hash) values ($1, $2, $3, $4)', [
    id,
    name,
    author,
    hash,
  ])
}

/**
 * The account that made the token with this hash, which is noted as used; `null` where there is none, or it
 * is disabled.
 */
export async function accountOfToken(sql: Sql, hash: string): Promise<string | null> {
  const [row] = await sql.query<{ account: string }>(
    `update token set used_at = now() from account
    where account.name = token.account and disabled_at is null and token_hash = $1 returning token.account`,
    [hash],
  )
  return row?.account ?? null
}

/**
 * Revokes a token.
 *
 * @returns whether there was one
 */
export async function removeToken(sql: Sql, id: string): Promise<boolean> {
  return (await sql.query('delete from token where id = $1 returning id', [id])).length > 0
}
