import { verify } from '@node-rs/argon2'
import { passwordHashOf } from './account-sql.ts'
import type { Sql } from '../database/database.ts'
import { record } from './audit.ts'
import { ApiError } from '../errors.ts'
import { countTry, forgetTries } from './tries.ts'

/**
 * Makes sure that somebody who is signed in knows their own password. A try counts before it is verified.
 *
 * @throws ApiError `wrong-current-password`, `too-many-tries`
 */
export async function checkOwnPassword(
  sql: Sql,
  account: string,
  password: string,
  address: string,
): Promise<void> {
  if ((await countTry(sql, account, address)) === null) throw new ApiError('too-many-tries')
  const stored = await passwordHashOf(sql, account)
  if (!stored || !(await verify(stored, password))) {
    await record(sql, 'sign-in', 'Wrong current password')
    throw new ApiError('wrong-current-password')
  }
  await forgetTries(sql, account, address)
}
