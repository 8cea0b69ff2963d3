import type { OwnSession } from '../../protocol/people.ts'
import type { Rights } from '../../protocol/roles.ts'
import { HERE, instant, type Sql } from '../database/database.ts'

/** Whether anybody can sign in yet. */
export async function hasAccount(sql: Sql): Promise<boolean> {
  return (await sql.query('select 1 from account limit 1')).length > 0
}

/**
 * Adds the first account, as an administrator.
 *
 * @returns whether it did, `false` where there was one
 */
export async function addFirstAccount(sql: Sql, name: string, passwordHash: string): Promise<boolean> {
  const rows = await sql.query(
    `with made as (insert into account (name, password_hash)
      select $1, $2 where not exists (select 1 from account) returning name)
    insert into member (place, account, role) select ${HERE}, name, 'administrator' from made returning account`,
    [name, passwordHash],
  )
  return rows.length > 0
}

/** The password's hash of an account, `null` where there is no such account, or it is disabled everywhere. */
export async function passwordHashOf(sql: Sql, name: string): Promise<string | null> {
  const [row] = await sql.query<{ passwordHash: string }>(
    `select password_hash as "passwordHash" from account where name = $1
      and exists (select from member where account = name and disabled_at is null)`,
    [name],
  )
  return row?.passwordHash ?? null
}

/** The origin of a session: the address of the client, and the name that its browser gave itself. */
export interface Origin {
  readonly address: string
  readonly browser: string
}

/** Begins a session that ends by itself after `days`. */
export async function addSession(
  sql: Sql,
  tokenHash: string,
  account: string,
  days: number,
  { address, browser }: Origin,
): Promise<void> {
  await sql.query(
    `insert into session (token_hash, account, expires_at, address, browser)
    values ($1, $2, now() + make_interval(days => $3), $4, $5)`,
    [tokenHash, account, days, address, browser],
  )
}

/** A session that is neither over nor revoked. */
const LIVE_SESSION = 'from session where revoked_at is null and expires_at > now()'

/**
 * The account of a session, with its rights at the place (`null` = none, or it is disabled there); `null`
 * where there is no such session. That it was used is noted once a minute.
 */
export async function accountOfSession(
  sql: Sql,
  tokenHash: string,
): Promise<{ account: string; rights: Rights | null } | null> {
  const [row] = await sql.query<{ account: string; isOld: boolean; rights: Rights | null }>(
    `select account, seen_at < now() - interval '1 minute' as "isOld", (
      select json_build_object('role', role, 'limit', helper_limit) from member
      where member.account = session.account and place = ${HERE} and disabled_at is null) as rights
    ${LIVE_SESSION} and token_hash = $1`,
    [tokenHash],
  )
  if (!row) return null
  if (row.isOld) await sql.query('update session set seen_at = now() where token_hash = $1', [tokenHash])
  return { account: row.account, rights: row.rights }
}

/** The sessions of an account, the one used last first; `isThis` = the one with this token. */
export function sessionsOf(sql: Sql, account: string, tokenHash: string): Promise<OwnSession[]> {
  return sql.query<OwnSession>(
    `select id, address, browser, ${instant('created_at')} as "begunAt", ${instant('seen_at')} as "seenAt",
      token_hash = $2 as "isThis" ${LIVE_SESSION} and account = $1 order by seen_at desc, id`,
    [account, tokenHash],
  )
}

/**
 * Ends a session of an account.
 *
 * @returns whether there was one
 */
export async function endSession(sql: Sql, account: string, id: string): Promise<boolean> {
  const rows = await sql.query(
    'update session set revoked_at = now() where account = $1 and id = $2 and revoked_at is null returning id',
    [account, id],
  )
  return rows.length > 0
}

/** Ends one session, or with `everywhere` every session of its account. */
export async function revokeSession(sql: Sql, tokenHash: string, everywhere: boolean): Promise<void> {
  await sql.query(
    `update session set revoked_at = now() where revoked_at is null and (token_hash = $1
    or ($2 and account = (select account from session where token_hash = $1)))`,
    [tokenHash, everywhere],
  )
}

/** The tries that are allowed within `minutes`: of one address at one account, and of one address. */
export interface TryLimits {
  readonly minutes: number
  readonly both: number
  readonly address: number
}

/**
 * Notes a try to sign in and answers how many there were at the account within the minutes, wherever they
 * came from; `null`, and nothing noted, where the address has had its share.
 */
export async function countTry(
  sql: Sql,
  account: string,
  address: string,
  { minutes, both, address: each }: TryLimits,
): Promise<number | null> {
  return sql.transaction(async (tx) => {
    await tx.query(`delete from sign_in_try where tried_at < now() - make_interval(mins => $1)`, [minutes])
    const [row] = await tx.query<{ both: number; address: number; account: number }>(
      `select
      count(*) filter (where account = $1 and address = $2)::int as both,
      count(*) filter (where address = $2)::int as address,
      count(*) filter (where account = $1)::int as account from sign_in_try`,
      [account, address],
    )
    if (row!.both >= both || row!.address >= each) return null
    await tx.query('insert into sign_in_try (account, address) values ($1, $2)', [account, address])
    return row!.account + 1
  })
}

/**
 * Gives an account another password's hash.
 *
 * @returns whether there is such an account
 */
export async function savePasswordHash(sql: Sql, name: string, passwordHash: string): Promise<boolean> {
  return (
    (
      await sql.query('update account set password_hash = $2 where name = $1 returning name', [
        name,
        passwordHash,
      ])
    ).length > 0
  )
}

/** Whether somebody who has signed in before did not do so from an address. */
export async function isNewAddress(sql: Sql, name: string, address: string): Promise<boolean> {
  const [row] = await sql.query<{ isNew: boolean }>(
    `select count(*) > 0 and count(*) filter (where address = $2) = 0 as "isNew" from (
      select address from session where account = $1
      union all select address from audit where account = $1 and kind = 'sign-in') as seen`,
    [name, address],
  )
  return row!.isNew
}

/** Ends every session of an account. */
export async function revokeSessions(sql: Sql, account: string): Promise<void> {
  await sql.query('update session set revoked_at = now() where account = $1 and revoked_at is null', [
    account,
  ])
}

/** The name of the only account, `null` where there is none or more than one. */
export async function onlyAccount(sql: Sql): Promise<string | null> {
  const rows = await sql.query<{ name: string }>('select name from account limit 2')
  return rows.length === 1 ? rows[0]!.name : null
}

/** Forgets the tries of an address at an account, after a right password. */
export async function forgetTries(sql: Sql, account: string, address: string): Promise<void> {
  await sql.query('delete from sign_in_try where account = $1 and address = $2', [account, address])
}
