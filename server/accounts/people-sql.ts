import type { Invitation, Person } from '../../protocol/people.ts'
import type { OwnPlace } from '../../protocol/places.ts'
import type { HelperLimit, Rights } from '../../protocol/roles.ts'
import { HERE, instant, type Sql } from '../database/database.ts'

/** Everybody who may use the place, by name. */
export function people(sql: Sql): Promise<Person[]> {
  return sql.query<Person>(
    `select name, role, helper_limit as "limit", disabled_at is not null as "isDisabled",
      totp_secret is not null as "hasSecondFactor", ${instant('account.created_at')} as "madeAt",
      (select ${instant('max(seen_at)')} from session where account = name and revoked_at is null) as "seenAt"
    from account join member on member.account = name and place = ${HERE} order by name`,
  )
}

/** Counts the administrators that may sign in; their rows are locked until the transaction ends. */
export async function countAdministrators(tx: Sql): Promise<number> {
  const rows = await tx.query(
    `select account from member where place = ${HERE} and role = 'administrator' and disabled_at is null for update`,
  )
  return rows.length
}

/**
 * Gives an account rights at the place, and disables or enables it there.
 *
 * @returns whether it may use the place
 */
export async function changePerson(
  sql: Sql,
  name: string,
  { role, limit }: Rights,
  isDisabled: boolean,
): Promise<boolean> {
  const rows = await sql.query(
    `update member set role = $2, helper_limit = $4,
      disabled_at = case when $3 then coalesce(disabled_at, now()) end
    where account = $1 and place = ${HERE} returning account`,
    [name, role, isDisabled, limit && JSON.stringify(limit)],
  )
  return rows.length > 0
}

/** Whether an account may use any place. */
export async function mayUseAny(sql: Sql, name: string): Promise<boolean> {
  const rows = await sql.query('select 1 from member where account = $1 and disabled_at is null limit 1', [
    name,
  ])
  return rows.length > 0
}

/** Whether an account may use a place of which somebody else is no administrator. */
export async function isElsewhere(sql: Sql, name: string, administrator: string): Promise<boolean> {
  const rows = await sql.query(
    `select place from member where account = $1
    except select place from member where account = $2 and role = 'administrator' and disabled_at is null`,
    [name, administrator],
  )
  return rows.length > 0
}

/** The places that an account may use, the first made first. */
export function placesOf(sql: Sql, account: string): Promise<OwnPlace[]> {
  return sql.query<OwnPlace>(
    `select id, name, role from member join place on id = place
    where account = $1 and disabled_at is null order by number`,
    [account],
  )
}

/** Returns the limit of an account as a helper of the place; `null` = nothing. */
export async function limitOf(sql: Sql, account: string): Promise<HelperLimit | null> {
  const [row] = await sql.query<{ limit: HelperLimit | null }>(
    `select helper_limit as "limit" from member where account = $1 and place = ${HERE}`,
    [account],
  )
  return row?.limit ?? null
}

/**
 * Takes the place from an account; one that may use no other is deleted with its sessions.
 *
 * @returns whether it might use it
 */
export async function removePerson(sql: Sql, name: string): Promise<boolean> {
  const rows = await sql.query(
    `delete from member where account = $1 and place = ${HERE} returning account`,
    [name],
  )
  await sql.query(
    'delete from account where name = $1 and not exists (select from member where account = name)',
    [name],
  )
  return rows.length > 0
}

/**
 * Adds an account; it may use no place yet.
 *
 * @returns whether it did, `false` where the name is taken
 */
export async function addAccount(sql: Sql, name: string, passwordHash: string): Promise<boolean> {
  const rows = await sql.query(
    'insert into account (name, password_hash) values ($1, $2) on conflict do nothing returning name',
    [name, passwordHash],
  )
  return rows.length > 0
}

/**
 * Lets an account use the place.
 *
 * @returns whether it might not before
 */
export async function addMember(sql: Sql, account: string, { role, limit }: Rights): Promise<boolean> {
  const rows = await sql.query(
    `insert into member (place, account, role, helper_limit) values (${HERE}, $1, $2, $3)
    on conflict do nothing returning account`,
    [account, role, limit && JSON.stringify(limit)],
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

/** Withdraws whatever somebody invited to at the place. */
export async function removeInvitationsOf(sql: Sql, author: string): Promise<void> {
  await sql.query('delete from invitation where author = $1', [author])
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

/** Returns the groups of the draft, to which a helper may be limited. */
export function groupNames(sql: Sql): Promise<{ id: string; name: string }[]> {
  return sql.query('select id, name from device_group')
}
