import { createHash, randomBytes } from 'node:crypto'
import { hash, verify } from '@node-rs/argon2'
import { accountOfSession, addFirstAccount, addSession, countTry, forgetTries, passwordHashOf, revokeSession } from '../sql/account.ts'
import { accountOfToken, addToken } from '../sql/token.ts'
import { tell, type Sql } from '../sql/database.ts'
import type { MadeToken } from '../../shared/answers.ts'
import { Refused } from './errors.ts'

/** How long a session lasts, in days. */
export const SESSION_DAYS = 14

/** Tries allowed within a quarter of an hour: of one address at one account, of one address, at one account from anywhere. */
const LIMITS = { minutes: 15, both: 5, address: 20, account: 50 }

// Verified where there is no such account, so that the time taken does not tell which names exist.
let nobodysHash: Promise<string> | undefined

/** Makes the first account; throws `already-set-up` where there is one. */
export async function setUp(sql: Sql, name: string, password: string): Promise<void> {
  if (!await addFirstAccount(sql, name, await hash(password))) throw new Refused('already-set-up')
}

/**
 * Signs in and answers the new session's token, which is kept only as a hash. A try counts before it is verified, so that many at
 * once do not pass the limit. `address` is the connection's own, never a header's. Throws `too-many-tries`, `wrong-password`.
 */
export async function signIn(sql: Sql, name: string, password: string, address: string): Promise<string> {
  const tries = await countTry(sql, name, address, LIMITS.minutes)
  if (tries.both > LIMITS.both || tries.address > LIMITS.address || tries.account > LIMITS.account) throw new Refused('too-many-tries')
  const stored = await passwordHashOf(sql, name)
  const right = await verify(stored ?? await (nobodysHash ??= hash(randomBytes(16))), password)
  if (!stored || !right) throw new Refused('wrong-password')
  await forgetTries(sql, name, address)
  const token = randomBytes(32).toString('base64url')
  await addSession(sql, tokenHash(token), name, SESSION_DAYS)
  return token
}

/** The account that a token stands for, or `null`. */
export async function accountOf(sql: Sql, token: string | undefined): Promise<string | null> {
  return token ? accountOfSession(sql, tokenHash(token)) : null
}

/** Makes a token by which a program may ask what is live, and nothing else; it is told once, and kept only as a hash. */
export async function makeToken(sql: Sql, name: string, author: string): Promise<MadeToken> {
  const id = randomBytes(6).toString('hex')
  const token = randomBytes(32).toString('base64url')
  await addToken(sql, { id, name, author, hash: tokenHash(token) })
  return { id, token }
}

/** The account that made the token in an Authorization header (RFC 6750, section 2.1), or `null`. */
export async function bearerOf(sql: Sql, header: string | undefined): Promise<string | null> {
  const token = /^Bearer ([\w-]+)$/i.exec(header ?? '')?.[1]
  return token ? accountOfToken(sql, tokenHash(token)) : null
}

/** Ends the session of a token, or every session of its account. */
export async function signOut(sql: Sql, token: string, everywhere: boolean): Promise<void> {
  await revokeSession(sql, tokenHash(token), everywhere)
  await tell(sql, 'session')
}

const tokenHash = (token: string) => createHash('sha256').update(token).digest('hex')
