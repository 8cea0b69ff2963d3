import { timingSafeEqual } from 'node:crypto'
import { hash } from '@node-rs/argon2'
import type { Place } from '../../core/policy/types.ts'
import { plainCode } from '../../node/code.ts'
import { addFirstAccount, hasAccount } from '../accounts/account-sql.ts'
import { record } from '../accounts/audit.ts'
import { hashOfSecret } from '../accounts/secret.ts'
import type { Sql } from '../database/database.ts'
import { savePlace } from '../draft/place-sql.ts'
import { ApiError } from '../errors.ts'

/**
 * Makes the first account and names the place, both or neither, for who has the code of the console.
 *
 * @throws ApiError `wrong-code`, `already-set-up`
 */
export async function setUpPlace(
  sql: Sql,
  { code, name, password, place }: { code: string; name: string; password: string; place: Place },
  right: string,
): Promise<void> {
  // The time of the comparison does not tell how much of the code is right.
  const isRight = timingSafeEqual(hashOfCode(code), hashOfCode(right))
  if (await hasAccount(sql)) throw new ApiError('already-set-up')
  if (!isRight) throw new ApiError('wrong-code')
  const passwordHash = await hash(password)
  await sql.transaction(async (tx) => {
    if (!(await addFirstAccount(tx, name, passwordHash))) throw new ApiError('already-set-up')
    await savePlace(tx, place)
    await record(tx, 'people', `${name} set up Kairostat for ${place.name}`)
  })
}

/** Returns the hash of a code, which is the same with or without its hyphen and in small letters. */
const hashOfCode = (code: string) => Buffer.from(hashOfSecret(plainCode(code)))
