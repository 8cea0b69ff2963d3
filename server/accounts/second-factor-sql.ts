import type { Sql } from '../database/database.ts'

/** The second factor of an account: its secret (base32; `null` = off), and one that was not confirmed yet. */
export interface SecondFactor {
  readonly secret: string | null
  readonly pending: string | null
  readonly codesLeft: number
}

/** The second factor of an account. */
export async function secondFactorOf(sql: Sql, account: string): Promise<SecondFactor> {
  const [row] = await sql.query<SecondFactor>(
    `select totp_secret as secret, totp_pending as pending,
      (select count(*)::int from recovery_code where account = name) as "codesLeft" from account where name = $1`,
    [account],
  )
  return row ?? { secret: null, pending: null, codesLeft: 0 }
}

/** Keeps a secret until a code of it confirms it. */
export async function savePending(sql: Sql, account: string, secret: string): Promise<void> {
  await sql.query('update account set totp_pending = $2 where name = $1', [account, secret])
}

/**
 * Turns the second factor on with the secret that was pending, and gives it other recovery codes, by their
 * hashes. The code that confirmed it, of a time step, does not sign in any more.
 */
export async function confirmPending(
  sql: Sql,
  account: string,
  step: number,
  codeHashes: readonly string[],
): Promise<void> {
  await sql.query(
    'update account set totp_secret = totp_pending, totp_pending = null, totp_step = $2 where name = $1',
    [account, step],
  )
  await sql.query('delete from recovery_code where account = $1', [account])
  await sql.query('insert into recovery_code (account, code_hash) select $1, * from unnest($2::text[])', [
    account,
    codeHashes,
  ])
}

/** Turns the second factor off. */
export async function removeSecondFactor(sql: Sql, account: string): Promise<void> {
  await sql.query(
    'update account set totp_secret = null, totp_pending = null, totp_step = null where name = $1',
    [account],
  )
  await sql.query('delete from recovery_code where account = $1', [account])
}

/**
 * Notes that the code of a time step (RFC 6238, section 4.2) was used.
 *
 * @returns whether neither it nor a later one was before
 */
export async function useStep(sql: Sql, account: string, step: number): Promise<boolean> {
  const rows = await sql.query(
    'update account set totp_step = $2 where name = $1 and (totp_step is null or totp_step < $2) returning name',
    [account, step],
  )
  return rows.length > 0
}

/**
 * Uses a recovery code up.
 *
 * @returns whether it was one
 */
export async function useRecoveryCode(sql: Sql, account: string, codeHash: string): Promise<boolean> {
  const rows = await sql.query(
    'delete from recovery_code where account = $1 and code_hash = $2 returning account',
    [account, codeHash],
  )
  return rows.length > 0
}

/**
 * Notes that an account is sent a second code, and answers how many it was within the minutes; `null`, and
 * nothing noted, where it was as many as there may be.
 */
export function countCode(
  sql: Sql,
  account: string,
  { minutes, most }: { readonly minutes: number; readonly most: number },
): Promise<number | null> {
  return sql.transaction(async (tx) => {
    // One at a time: many at once do not all find room.
    await tx.query('select name from account where name = $1 for update', [account])
    await tx.query('delete from code_try where tried_at < now() - make_interval(mins => $1)', [minutes])
    const [row] = await tx.query<{ count: number }>(
      'select count(*)::int as count from code_try where account = $1',
      [account],
    )
    if (row!.count >= most) return null
    await tx.query('insert into code_try (account) values ($1)', [account])
    return row!.count + 1
  })
}

/** Forgets the codes that an account was sent, after a right one. */
export async function forgetCodes(sql: Sql, account: string): Promise<void> {
  await sql.query('delete from code_try where account = $1', [account])
}
