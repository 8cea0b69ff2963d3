import type { Sql } from './database.ts'

/** Whether anybody can sign in yet. */
export async function hasAccount(sql: Sql): Promise<boolean> {
  return (await sql.query('select 1 from account limit 1')).length > 0
}

/** Adds the first account; answers whether it did, `false` where there was one. */
export async function addFirstAccount(sql: Sql, name: string, passwordHash: string): Promise<boolean> {
  const rows = await sql.query(`insert into account (name, password_hash)
    select $1, $2 where not exists (select 1 from account) returning name`, [name, passwordHash])
  return rows.length > 0
}

/** The password's hash of an account, `null` where there is no such account. */
export async function passwordHashOf(sql: Sql, name: string): Promise<string | null> {
  const [row] = await sql.query<{ passwordHash: string }>('select password_hash as "passwordHash" from account where name = $1', [name])
  return row?.passwordHash ?? null
}

/** Begins a session that ends by itself after `days`. */
export async function addSession(sql: Sql, tokenHash: string, account: string, days: number): Promise<void> {
  await sql.query(`insert into session (token_hash, account, expires_at) values ($1, $2, now() + make_interval(days => $3))`, [tokenHash, account, days])
}

/** The account of a session that is neither over nor revoked, or `null`. */
export async function accountOfSession(sql: Sql, tokenHash: string): Promise<string | null> {
  const [row] = await sql.query<{ account: string }>(
    'select account from session where token_hash = $1 and revoked_at is null and expires_at > now()', [tokenHash])
  return row?.account ?? null
}

/** Ends one session, or with `everywhere` every session of its account. */
export async function revokeSession(sql: Sql, tokenHash: string, everywhere: boolean): Promise<void> {
  await sql.query(`update session set revoked_at = now() where revoked_at is null and (token_hash = $1
    or ($2 and account = (select account from session where token_hash = $1)))`, [tokenHash, everywhere])
}

/** Notes a try to sign in and answers how many there were within `minutes`, this one included: from the address at this account, from the address, at the account. */
export async function countTry(sql: Sql, account: string, address: string, minutes: number): Promise<{ both: number, address: number, account: number }> {
  return sql.transaction(async (tx) => {
    await tx.query(`delete from sign_in_try where tried_at < now() - make_interval(mins => $1)`, [minutes])
    await tx.query('insert into sign_in_try (account, address) values ($1, $2)', [account, address])
    const [row] = await tx.query<{ both: number, address: number, account: number }>(`select
      count(*) filter (where account = $1 and address = $2)::int as both,
      count(*) filter (where address = $2)::int as address,
      count(*) filter (where account = $1)::int as account from sign_in_try`, [account, address])
    return row!
  })
}

/** Forgets the tries of an address at an account, after a right password. */
export async function forgetTries(sql: Sql, account: string, address: string): Promise<void> {
  await sql.query('delete from sign_in_try where account = $1 and address = $2', [account, address])
}
