import { randomBytes } from 'node:crypto'
import { hash } from '@node-rs/argon2'
import type { JoinAnswer, MadeInvitation, PeopleAnswer } from '../../protocol/people.ts'
import type { Role } from '../../protocol/roles.ts'
import { countTry, forgetTries, revokeSessions } from '../sql/account.ts'
import { tell, type Sql } from '../sql/database.ts'
import {
  addInvitation,
  addPerson,
  changePerson,
  countAdministrators,
  invitations,
  people,
  removeInvitation,
  removePerson,
  roleOfInvitation,
  takeInvitation,
} from '../sql/people.ts'
import { place } from '../sql/place.ts'
import { ApiError } from './errors.ts'
import { hashOfSecret, newSecret } from './secret.ts'
import { TRIES } from './sign-in.ts'

/** For how many days an invitation waits. */
const WAITS = 7
/** Under which name tries of codes count; no account can have it. */
const CODES = ''

/** Who may use Kairostat, and who is invited to. */
export async function peopleAnswer(sql: Sql): Promise<PeopleAnswer> {
  return { people: await people(sql), invitations: await invitations(sql) }
}

/**
 * Changes the role of an account, or disables it, which ends its sessions.
 *
 * @throws ApiError `not-found`, `last-administrator`
 */
export async function change(sql: Sql, name: string, role: Role, isDisabled: boolean): Promise<void> {
  await sql.transaction(async (tx) => {
    if (!(await changePerson(tx, name, role, isDisabled))) throw new ApiError('not-found')
    if ((await countAdministrators(tx)) === 0) throw new ApiError('last-administrator')
    if (isDisabled) await revokeSessions(tx, name)
  })
  await tell(sql, 'session')
}

/**
 * Deletes an account.
 *
 * @throws ApiError `not-found`, `last-administrator`
 */
export async function remove(sql: Sql, name: string): Promise<void> {
  await sql.transaction(async (tx) => {
    if (!(await removePerson(tx, name))) throw new ApiError('not-found')
    if ((await countAdministrators(tx)) === 0) throw new ApiError('last-administrator')
  })
  await tell(sql, 'session')
}

/** Invites somebody to a role; the code itself is not stored. */
export async function invite(sql: Sql, role: Role, author: string): Promise<MadeInvitation> {
  const [id, code] = [randomBytes(6).toString('hex'), newSecret()]
  await addInvitation(sql, { id, codeHash: hashOfSecret(code), role, author }, WAITS)
  return { id, code }
}

/**
 * Withdraws an invitation.
 *
 * @throws ApiError `not-found`
 */
export async function withdraw(sql: Sql, id: string): Promise<void> {
  if (!(await removeInvitation(sql, id)))
    throw new ApiError('not-found', 'That invitation was used or withdrawn already.')
}

/**
 * To what a code invites. Tries of codes that invite nobody are limited like those of passwords.
 *
 * @throws ApiError `too-many-tries`, `wrong-invitation`
 */
export async function lookAt(sql: Sql, code: string, address: string): Promise<JoinAnswer> {
  const role = await invited(sql, hashOfSecret(code), address)
  return { role, place: (await place(sql))?.name ?? '' }
}

/**
 * Makes the account of who was invited, once.
 *
 * @throws ApiError `too-many-tries`, `wrong-invitation`, `name-taken`
 */
export async function join(
  sql: Sql,
  { code, name, password }: { code: string; name: string; password: string },
  address: string,
): Promise<void> {
  const codeHash = hashOfSecret(code)
  await invited(sql, codeHash, address)
  const passwordHash = await hash(password)
  await sql.transaction(async (tx) => {
    const role = await takeInvitation(tx, codeHash)
    if (!role) throw new ApiError('wrong-invitation')
    if (!(await addPerson(tx, name, passwordHash, role))) throw new ApiError('name-taken')
  })
}

async function invited(sql: Sql, codeHash: string, address: string): Promise<Role> {
  if ((await countTry(sql, CODES, address, TRIES)) === null) throw new ApiError('too-many-tries')
  const role = await roleOfInvitation(sql, codeHash)
  if (!role) throw new ApiError('wrong-invitation')
  await forgetTries(sql, CODES, address)
  return role
}
