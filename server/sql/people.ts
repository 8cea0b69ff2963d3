import type { Invitation, Person } from '../../protocol/people.ts'
import type { Rights } from '../../protocol/roles.ts'
import { instant, type Sql } from './database.ts'

/** Every account, by name. */
export function people(sql: Sql): Promise<Person[]> {
  return sql.query<Person>(
    `select name, role, helper_limit as "limit", disabled_at is not null as "isDisabled",
      totp_secret is not null as "hasSecondFactor", ${instant('account.created_at')} as "madeAt",
      (select ${instant('max(seen_at)')} from session where account = name and revoked_at is null) as "seenAt"
    from account order by name`,
  )
}

/** How many administrators there are that may sign in; the rows are held until the transaction ends. */
export async function countAdministrators(tx: Sql): Promise<number> {
  const rows = await tx.query(
    `select name from account where role = 'administrator' and disabled_at is null for update`,
  )
  return rows.length
}

/**
 * Gives an account rights, and disables or enables it.
 *
 * @returns whether there is such an account
 */
export async function changePerson(
  sql: Sql,
  name: string,
  { role, limit }: Rights,
  isDisabled: boolean,
): Promise<boolean> {
  const rows = await sql.query(
    `update account set role = $2, helper_limit = $4,
      disabled_at = case when $3 then coalesce(disabled_at, now()) end where name = $1 returning name`,
    [name, role, isDisabled, limit && JSON.stringify(limit)],
  )
  return rows.length > 0
}

/**
 * Deletes an account with its sessions and tokens.
 *
 * @returns whether there was one
 */
export async function removePerson(sql: Sql, name: string): Promise<boolean> {
  return (await sql.query('delete from account where name = $1 returning name', [name])).length > 0
}

/**
 * Adds an account.
 *
 * @returns whether it did, `false` where the name is taken
 */
export async function addPerson(
  sql: Sql,
  name: string,
  passwordHash: string,
  { role, limit }: Rights,
): Promise<boolean> {
  const rows = await sql.query(
    `insert into account (name, password_hash, role, helper_limit) values ($1, $2, $3, $4)
    on conflict do nothing returning name`,
    [name, passwordHash, role, limit && JSON.stringify(limit)],
  )
  return rows.length > 0
}

/** The invitations that wait, the one made last first. */
export function invitations(sql: Sql): Promise<Invitation[]> {
  return sql.query<Invitation>(
    `select id, role, helper_limit as "limit", author, ${instant('until_at')} as until from invitation
    where until_at > now() order by made_at desc, id`,
  )
}

/** Keeps an invitation by the hash of its code, for so many days; those that are over are forgotten. */
export async function addInvitation(
  sql: Sql,
  { id, codeHash, role, limit, author }: Rights & { id: string; codeHash: string; author: string },
  days: number,
): Promise<void> {
  await sql.query('delete from invitation where until_at <= now()')
  await sql.query(
    `insert into invitation (id, code_hash, role, helper_limit, author, until_at)
    values ($1, $2, $3, $4, $5, now() + make_interval(days => $6))`,
    [id, codeHash, role, limit && JSON.stringify(limit), author, days],
  )
}

/**
 * Withdraws an invitation.
 *
 * @returns whether it waited
 */
export async function removeInvitation(sql: Sql, id: string): Promise<boolean> {
  return (await sql.query('delete from invitation where id = $1 returning id', [id])).length > 0
}

/** To what a code invites; `null` where it invites nobody, or no more. */
export async function rightsOfInvitation(sql: Sql, codeHash: string): Promise<Rights | null> {
  const [row] = await sql.query<Rights>(
    'select role, helper_limit as "limit" from invitation where code_hash = $1 and until_at > now()',
    [codeHash],
  )
  return row ?? null
}

/** To what a code invites, which does so no more; `null` as above. */
export async function takeInvitation(sql: Sql, codeHash: string): Promise<Rights | null> {
  const [row] = await sql.query<Rights>(
    'delete from invitation where code_hash = $1 and until_at > now() returning role, helper_limit as "limit"',
    [codeHash],
  )
  return row ?? null
}
