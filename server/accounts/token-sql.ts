import type { TokenAnswer } from '../../protocol/answers.ts'
import type { Rights, TokenRole } from '../../protocol/roles.ts'
import { HERE, instant, type Sql } from '../database/database.ts'

/** Every token that is neither revoked nor over, the newest first. */
export function tokens(sql: Sql): Promise<TokenAnswer[]> {
  return sql.query<TokenAnswer>(
    `select id, name, account as author, role, ${instant('made_at')} as "madeAt", ${instant('used_at')} as "usedAt",
      ${instant('expires_at')} as until from token where expires_at is null or expires_at > now()
    order by made_at desc, id`,
  )
}

/** Keeps a new token by its hash, for so many days; `null` = until it is revoked. */
export async function addToken(
  sql: Sql,
  { id, name, author, hash, role }: Pick<TokenAnswer, 'id' | 'name' | 'author' | 'role'> & { hash: string },
  days: number | null,
): Promise<void> {
  await sql.query(
    `insert into token (id, name, account, token_hash, role, expires_at)
    values ($1, $2, $3, $4, $5, now() + make_interval(days => $6::int))`,
    [id, name, author, hash, role, days],
  )
}

/**
 * The account that made the token with this hash, which is noted as used, and what both may do; `null` where
 * there is none, it is over, or the account is disabled.
 */
export async function ownerOfToken(
  sql: Sql,
  hash: string,
): Promise<(Rights & { account: string; token: TokenRole }) | null> {
  const [row] = await sql.query<Rights & { account: string; token: TokenRole }>(
    `update token set used_at = now() from member
    where member.account = token.account and member.place = ${HERE} and disabled_at is null and token_hash = $1
      and (expires_at is null or expires_at > now())
    returning token.account, member.role, member.helper_limit as "limit", token.role as token`,
    [hash],
  )
  return row ?? null
}

/**
 * Revokes a token.
 *
 * @returns whether there was one
 */
export async function removeToken(sql: Sql, id: string): Promise<boolean> {
  return (await sql.query('delete from token where id = $1 returning id', [id])).length > 0
}
