import { randomBytes } from 'node:crypto'
import { hash, verify } from '@node-rs/argon2'
import {
  accountOfSession,
  addFirstAccount,
  addSession,
  endSession,
  isNewAddress,
  onlyAccount,
  passwordHashOf,
  revokeSession,
  revokeSessions,
  savePasswordHash,
  sessionsOf,
  type Origin,
} from './account-sql.ts'
import { tell, type Sql } from '../database/database.ts'
import type { OwnSession } from '../../protocol/people.ts'
import { removeSecondFactor } from './second-factor-sql.ts'
import { record } from './audit.ts'
import { ApiError } from '../errors.ts'
import { checkOwnPassword } from './own-password.ts'
import { passSecondFactor } from './second-factor.ts'
import { countTry, forgetTries } from './tries.ts'
import { notify } from '../outbox/notify.ts'
import type { Principal } from './principal.ts'
import { hashOfSecret, newSecret } from './secret.ts'

export { hasAccount } from './account-sql.ts'

/** The days after which a session ends. */
export const SESSION_DAYS = 14

/**
 * From how many wrong passwords at one account, wherever they come from, each further try waits, and how long
 * at most, in milliseconds: nobody is shut out by what others do.
 */
const SLOWDOWN = { after: 20, each: 200, most: 4000 }

// Verified where there is no such account, so that the time taken does not tell which names exist.
let nobodysHash: Promise<string> | undefined

/**
 * Changes the password of an account, by the one that it has; ends all its sessions and answers the token of
 * a new one.
 *
 * @throws ApiError `wrong-current-password`, `too-many-tries`
 */
export async function changePassword(
  sql: Sql,
  name: string,
  current: string,
  next: string,
  origin: Origin,
): Promise<string> {
  await checkOwnPassword(sql, name, current, origin.address)
  await setPassword(sql, name, next)
  return begin(sql, name, origin)
}

/**
 * Gives an account another password, and ends all its sessions; where it is said, its second factor too.
 *
 * @returns whether there is such an account
 */
export async function setPassword(
  sql: Sql,
  name: string,
  password: string,
  withoutSecondFactor = false,
): Promise<boolean> {
  const passwordHash = await hash(password)
  const there = await sql.transaction(async (tx) => {
    const found = await savePasswordHash(tx, name, passwordHash)
    await revokeSessions(tx, name)
    if (withoutSecondFactor) await removeSecondFactor(tx, name)
    if (found) await record(tx, 'sign-in', `Password of ${name} changed`)
    return found
  })
  await tell(sql, 'session')
  return there
}

/**
 * Gives the account of a name (`null` = the only one) a password that is made up, and ends all its sessions
 * and its second factor; answers both as JSON.
 *
 * @throws Error where there is no such account
 */
export async function resetPassword(sql: Sql, name: string | null): Promise<string> {
  const account = name ?? (await onlyAccount(sql))
  if (account === null)
    throw new Error('Nobody has set up this place, or there are several accounts: say which with --name.')
  const password = randomBytes(12).toString('base64url')
  if (!(await setPassword(sql, account, password, true))) throw new Error(`There is no account “${account}”.`)
  return JSON.stringify({ account, password })
}

async function begin(sql: Sql, name: string, origin: Origin): Promise<string> {
  const token = newSecret()
  await addSession(sql, hashOfSecret(token), name, SESSION_DAYS, origin)
  return token
}

/** Makes the first account; throws `already-set-up` where there is one. */
export async function setUp(sql: Sql, name: string, password: string): Promise<void> {
  if (!(await addFirstAccount(sql, name, await hash(password)))) throw new ApiError('already-set-up')
}

/**
 * Signs in and answers the new session's token, which is kept only as a hash. A try counts before it is
 * verified, so that many at once do not pass the limit; one that is refused does not.
 *
 * @param code of the second factor; '' = none
 * @throws ApiError `too-many-tries`, `wrong-password`, `code-needed`, `wrong-second-code`
 */
export async function signIn(
  sql: Sql,
  name: string,
  password: string,
  origin: Origin,
  code = '',
): Promise<string> {
  const { address } = origin
  const tries = await countTry(sql, name, address)
  if (tries === null) throw new ApiError('too-many-tries')
  if (tries > SLOWDOWN.after)
    await new Promise((resolve) =>
      setTimeout(resolve, Math.min(SLOWDOWN.most, (tries - SLOWDOWN.after) * SLOWDOWN.each)),
    )
  const stored = await passwordHashOf(sql, name)
  const right = await verify(stored ?? (await (nobodysHash ??= hash(randomBytes(16)))), password)
  if (!stored || !right) {
    // A name without an account may be a password in the wrong field.
    const words = stored ? `Wrong password for ${name}` : 'Sign-in with an unknown name'
    await record(sql, 'sign-in', words, { account: null, address })
    throw new ApiError('wrong-password')
  }
  await passSecondFactor(sql, name, code, address)
  await forgetTries(sql, name, address)
  if (await isNewAddress(sql, name, address))
    await notify(sql, 'new-address', `${name} signed in from a new address: ${address}`, { account: name })
  await record(sql, 'sign-in', 'Signed in', { account: name, address })
  return begin(sql, name, origin)
}

/**
 * Returns the account of a session's token, `null` = none; with its role at the place, `null` = none.
 */
export interface SignedIn {
  readonly account: string
  readonly principal: Principal | null
}

/** Returns the account of a session's token. */
export async function signedIn(sql: Sql, token: string | undefined): Promise<SignedIn | null> {
  const known = token ? await accountOfSession(sql, hashOfSecret(token)) : null
  if (!known) return null
  const { account, rights } = known
  return { account, principal: rights && { account, ...rights, token: null } }
}

/** The account that a session's token stands for, in its role at the place, or `null`. */
export async function principalOf(sql: Sql, token: string | undefined): Promise<Principal | null> {
  return (await signedIn(sql, token))?.principal ?? null
}

/** The sessions of an account, of which one has this token. */
export function ownSessions(sql: Sql, account: string, token: string): Promise<OwnSession[]> {
  return sessionsOf(sql, account, hashOfSecret(token))
}

/**
 * Ends a session of an account.
 *
 * @throws ApiError `not-found`
 */
export async function endOwnSession(sql: Sql, account: string, id: string): Promise<void> {
  if (!(await endSession(sql, account, id))) throw new ApiError('not-found', 'That session ended already.')
  await record(sql, 'sign-in', 'A session ended')
  await tell(sql, 'session')
}

/** Ends the session of a token, or every session of its account. */
export async function signOut(sql: Sql, token: string, everywhere: boolean): Promise<void> {
  await revokeSession(sql, hashOfSecret(token), everywhere)
  await record(sql, 'sign-in', everywhere ? 'Signed out everywhere' : 'Signed out')
  await tell(sql, 'session')
}
