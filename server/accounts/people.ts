import { randomBytes } from 'node:crypto'
import { hash } from '@node-rs/argon2'
import type { JoinAnswer, MadeInvitation, PeopleAnswer } from '../../protocol/people.ts'
import type { Rights } from '../../protocol/roles.ts'
import { revokeSessions } from './account-sql.ts'
import { tell, type Sql } from '../database/database.ts'
import {
  addAccount,
  addInvitation,
  addMember,
  changePerson,
  countAdministrators,
  groupNames,
  invitations,
  mayUseAny,
  people,
  removeInvitation,
  removeInvitationsOf,
  removePerson,
  rightsOfInvitation,
  takeInvitation,
} from './people-sql.ts'
import { place } from '../database/place-sql.ts'
import { record } from './audit.ts'
import { ApiError } from '../errors.ts'
import { hashOfSecret, newSecret } from './secret.ts'
import { countTry, forgetTries } from './tries.ts'

export { placesOf } from './people-sql.ts'

/** The days for which an invitation is valid. */
const INVITATION_DAYS = 7
/** Under which name tries of codes count; no account can have it. */
const CODES = ''

/** Returns the accounts of the place and its open invitations. */
export async function peopleAnswer(sql: Sql): Promise<PeopleAnswer> {
  return { people: await people(sql), invitations: await invitations(sql) }
}

/**
 * Changes what an account may do, or disables it, which ends its sessions.
 *
 * @throws ApiError `not-found`, `last-administrator`, `unknown-part` where a group of the limit is not there
 */
export async function change(sql: Sql, name: string, rights: Rights, isDisabled: boolean): Promise<void> {
  await sql.transaction(async (tx) => {
    const words = await rightsWords(tx, rights)
    if (!(await changePerson(tx, name, rights, isDisabled))) throw new ApiError('not-found')
    if ((await countAdministrators(tx)) === 0) throw new ApiError('last-administrator')
    // Invitations end with the right to invite.
    if (rights.role !== 'administrator' || isDisabled) await removeInvitationsOf(tx, name)
    if (!(await mayUseAny(tx, name))) await revokeSessions(tx, name)
    await record(tx, 'people', `${name} is ${words}${isDisabled ? ', disabled' : ''}`)
  })
  await tell(sql, 'session')
}

/**
 * Takes the place from somebody, and deletes an account that may use no other.
 *
 * @throws ApiError `not-found`, `last-administrator`
 */
export async function remove(sql: Sql, name: string): Promise<void> {
  await sql.transaction(async (tx) => {
    if (!(await removePerson(tx, name))) throw new ApiError('not-found')
    if ((await countAdministrators(tx)) === 0) throw new ApiError('last-administrator')
    await removeInvitationsOf(tx, name)
    await record(tx, 'people', `${name} deleted`)
  })
  await tell(sql, 'session')
}

/**
 * Invites somebody; the code itself is not stored.
 *
 * @throws ApiError `unknown-part` where a group of the limit is not there
 */
export async function invite(sql: Sql, rights: Rights, author: string): Promise<MadeInvitation> {
  const words = await rightsWords(sql, rights)
  const [id, code] = [randomBytes(6).toString('hex'), newSecret()]
  await sql.transaction(async (tx) => {
    await addInvitation(tx, { id, codeHash: hashOfSecret(code), ...rights, author }, INVITATION_DAYS)
    await record(tx, 'people', `Somebody invited as ${words}`)
  })
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
  await record(sql, 'people', 'Invitation withdrawn')
}

/**
 * To what a code invites. Tries of codes that invite nobody are limited like those of passwords.
 *
 * @throws ApiError `too-many-tries`, `wrong-invitation`
 */
export async function lookAt(sql: Sql, code: string, address: string): Promise<JoinAnswer> {
  const rights = await invited(sql, hashOfSecret(code), address)
  return { ...rights, place: (await place(sql))?.name ?? '' }
}

/**
 * Lets somebody in who was invited, once; a password of `null` says that the account is there, and signed in.
 *
 * @throws ApiError `too-many-tries`, `wrong-invitation`, `name-taken`
 */
export async function join(
  sql: Sql,
  { code, name, password }: { code: string; name: string; password: string | null },
  address: string,
): Promise<void> {
  const codeHash = hashOfSecret(code)
  await invited(sql, codeHash, address)
  const passwordHash = password === null ? null : await hash(password)
  await sql.transaction(async (tx) => {
    const rights = await takeInvitation(tx, codeHash)
    if (!rights) throw new ApiError('wrong-invitation')
    if (passwordHash !== null && !(await addAccount(tx, name, passwordHash))) throw new ApiError('name-taken')
    if (!(await addMember(tx, name, rights)))
      throw new ApiError('name-taken', `${name} may use this place already.`)
    await record(tx, 'people', `${name} joined as ${rights.role}`, { account: name, address })
  })
}

async function invited(sql: Sql, codeHash: string, address: string): Promise<Rights> {
  if ((await countTry(sql, CODES, address)) === null) throw new ApiError('too-many-tries')
  const rights = await rightsOfInvitation(sql, codeHash)
  if (!rights) throw new ApiError('wrong-invitation')
  await forgetTries(sql, CODES, address)
  return rights
}

/**
 * Returns the rights of an account in words, as "helper, for 30 minutes at most and for Apprentices".
 *
 * @throws ApiError `unknown-part` where a group of the limit is not there
 */
async function rightsWords(sql: Sql, { role, limit }: Rights): Promise<string> {
  if (!limit) return role
  const known = await groupNames(sql)
  const names = limit.groups.map((id) => {
    const group = known.find((one) => one.id === id)
    if (!group) throw new ApiError('unknown-part', `There is no group “${id}”.`)
    return group.name
  })
  return `${role}, for ${limit.minutes} minutes at most and for ${names.join(', ')}`
}
