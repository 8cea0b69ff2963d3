import type { Sql } from './database.ts'

/** Whether anybody can sign in yet. */
export async function hasAccount(sql: Sql): Promise<boolean> {
  return (await sql.query('select 1 from account limit 1')).length > 0
}

/**
 * Adds the first account.
 *
 * @returns whether it did, `false` where there was one
 */
export async function addFirstAccount(sql: Sql, name: string, passwordHash: string): Promise<boolean> {
  const rows = await sql.query(
    `insert into account (name, password_hash)
    select $1, $2 where not exists (select 1 from account) returning name`,
    [name, passwordHash],
  )
  return rows.length > 0
}

/** The password's hash of an account, `null` where there is no such account. */
export async function passwordHashOf(sql: Sql, name: string): Promise<string | null> {
  const [row] = await sql.query<{ passwordHash: string }>(
    'select password_hash as "passwordHash" from account where name = $1',
    [name],
  )
  return row?.passwordHash ?? null
}

/** Begins a session that ends by itself after `days`. */
export async function addSession(sql: Sql, tokenHash: string, account: string, days: number): Promise<void> {
  await sql.query(
    `insert into session (token_hash, account, expires_at) values ($1, $2, now() + make_interval(days => $3))`,
    [tokenHash, account, days],
  )
}

/** The account of a session that is neither over nor revoked, or `null`. */
export async function accountOfSession(sql: Sql, tokenHash: string): Promise<string | null> {
  const [row] = await sql.query<{ account: string }>(
    'select account from session where token_hash = $1 and revoked_at is null and expires_at > now()',
    [tokenHash],
  )
  return row?.account ?? null
}

/** Ends one session, or with `everywhere` every session of its account. */
export async function revokeSession(sql: Sql, tokenHash: string, everywhere: boolean): Promise<void> {
  await sql.query(
    `update session set revoked_at = now() where revoked_at is null and (token_hash = $1
    or ($2 and account = (select account from session where token_hash = $1)))`,
    [tokenHash, everywhere],
  )
}

/** How many tries within `minutes` are allowed: of one address at one account, and of one address. */
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
