import { randomBytes } from 'node:crypto'
import type { MadeToken } from '../../protocol/answers.ts'
import { lesserRole, type TokenRole } from '../../protocol/roles.ts'
import type { Sql } from '../database/database.ts'
import { addToken, ownerOfToken, removeToken } from './token-sql.ts'
import { record } from './audit.ts'
import { ApiError } from '../errors.ts'
import type { Principal } from './principal.ts'
import { hashOfSecret, newSecret } from './secret.ts'

export { tokens } from './token-sql.ts'

/** The use of a token, and the days after which it ends; `null` = when it is revoked. */
export interface TokenWish {
  readonly name: string
  readonly role: TokenRole
  readonly days: number | null
}

/** Makes a token for a program; the secret itself is not stored. */
export function makeToken(sql: Sql, { name, role, days }: TokenWish, author: string): Promise<MadeToken> {
  const [id, token] = [randomBytes(6).toString('hex'), newSecret()]
  return sql.transaction(async (tx) => {
    await addToken(tx, { id, name, author, role, hash: hashOfSecret(token) }, days)
    const ends = days === null ? 'without an end' : `for ${days} days`
    await record(tx, 'settings', `Token “${name}” created (${role}), ${ends}`)
    return { id, token }
  })
}

/**
 * Revokes a token.
 *
 * @throws ApiError `not-found`
 */
export async function revokeToken(sql: Sql, id: string): Promise<void> {
  if (!(await removeToken(sql, id))) throw new ApiError('not-found', 'That token was revoked already.')
  await record(sql, 'settings', 'Token revoked')
}

/**
 * Whoever has the token in an Authorization header (RFC 6750, section 2.1): it may do what it was made for,
 * as far as the account that made it still may; `null` = nobody.
 */
export async function bearerOf(sql: Sql, header: string | undefined): Promise<Principal | null> {
  const secret = /^Bearer ([\w-]+)$/i.exec(header ?? '')?.[1]
  const owner = secret ? await ownerOfToken(sql, hashOfSecret(secret)) : null
  if (!owner) return null
  const role = lesserRole(owner.role, owner.token === 'live' ? 'viewer' : owner.token)
  return { account: owner.account, role, limit: role === 'helper' ? owner.limit : null, token: owner.token }
}
