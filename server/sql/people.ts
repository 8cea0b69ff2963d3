import type { Invitation, Person } from '../../protocol/people.ts'
import type { Role } from '../../protocol/roles.ts'
import { instant, type Sql } from './database.ts'

/** Every account, by name. */
export function people(sql: Sql): Promise<Person[]> {
  return sql.query<Person>(
    `select name, role, disabled_at is not null as "isDisabled", ${instant('account.created_at')} as "madeAt",
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
 * Gives an account a role, and disables or enables it.
 *
 * @returns whether there is such an account
 */
export async function changePerson(
  sql: Sql,
  name: string,
  role: Role,
  isDisabled: boolean,
): Promise<boolean> {
  const rows = await sql.query(
    `update account set role = $2,
      disabled_at = case when $3 then coalesce(disabled_at, now()) end where name = $1 returning name`,
    [name, role, isDisabled],
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
export async function addPerson(sql: Sql, name: string, passwordHash: string, role: Role): Promise<boolean> {
  const rows = await sql.query(
    'insert into account (name, password_hash, role) values ($1, $2, $3) on conflict do nothing returning name',
    [name, passwordHash, role],
  )
  return rows.length > 0
}

/** The invitations that wait, the one made last first. */
export function invitations(sql: Sql): Promise<Invitation[]> {
  return sql.query<Invitation>(
    `select id, role, author, ${instant('until_at')} as until from invitation
    where until_at > now() order by made_at desc, id`,
  )
}

/** Keeps an invitation by the hash of its code, for so many days; those that are over are forgotten. */
export async function addInvitation(
  sql: Sql,
  { id, codeHash, role, author }: { id: string; codeHash: string; role: Role; author: string },
  days: number,
): Promise<void> {
  await sql.query('delete from invitation where until_at <= now()')
  await sql.query(
    `insert into invitation (id, code_hash, role, author, until_at)
    values ($1, $2, $3, $4, now() + make_interval(days => $5))`,
    [id, codeHash, role, author, days],
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

/** The role for which a code invites; `null` where it invites nobody, or no more. */
export async function roleOfInvitation(sql: Sql, codeHash: string): Promise<Role | null> {
  const [row] = await sql.query<{ role: Role }>(
    'select role from invitation where code_hash = $1 and until_at > now()',
    [codeHash],
  )
  return row?.role ?? null
}

/** The role for which a code invites, which does so no more; `null` as above. */
export async function takeInvitation(sql: Sql, codeHash: string): Promise<Role | null> {
  const [row] = await sql.query<{ role: Role }>(
    'delete from invitation where code_hash = $1 and until_at > now() returning role',
    [codeHash],
  )
  return row?.role ?? null
}
