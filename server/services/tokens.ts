import { randomBytes } from 'node:crypto'
import type { MadeToken } from '../../protocol/answers.ts'
import type { Sql } from '../sql/database.ts'
import { accountOfToken, addToken, removeToken } from '../sql/token.ts'
import { ApiError } from './errors.ts'
import type { Principal } from './needs.ts'
import { hashOfSecret, newSecret } from './secret.ts'

export { tokens } from '../sql/token.ts'

/**
 * Makes a token by which a program may ask what is live, and nothing else; the secret itself is not stored.
 */
export async function makeToken(sql: Sql, name: string, author: string): Promise<MadeToken> {
  const id = randomBytes(6).toString('hex')
  const token = newSecret()
  await addToken(sql, { id, name, author, hash: hashOfSecret(token) })
  return { id, token }
}

/**
 * Revokes a token.
 *
 * @throws ApiError `not-found`
 */
export async function revokeToken(sql: Sql, id: string): Promise<void> {
  if (!(await removeToken(sql, id))) throw new ApiError('not-found', 'That token was revoked already.')
}

/** Whoever has the token in an Authorization header (RFC 6750, section 2.1): it may look; `null` = nobody. */
export async function bearerOf(sql: Sql, header: string | undefined): Promise<Principal | null> {
  const token = /^Bearer ([\w-]+)$/i.exec(header ?? '')?.[1]
  const account = token ? await accountOfToken(sql, hashOfSecret(token)) : null
  return account === null ? null : { account, role: 'viewer' }
}
