import { randomBytes } from 'node:crypto'
import { Secret, TOTP } from 'otpauth'
import type { RecoveryCodes, SecondFactorAnswer, SecondFactorOffer } from '../../protocol/answers.ts'
import type { Sql } from '../database/database.ts'
import { isElsewhere, people } from './people-sql.ts'
import { place } from '../database/place-sql.ts'
import {
  confirmPending,
  countCode,
  forgetCodes,
  removeSecondFactor,
  savePending,
  secondFactorOf,
  useRecoveryCode,
  useStep,
} from './second-factor-sql.ts'
import { record } from './audit.ts'
import { ApiError } from '../errors.ts'
import { checkOwnPassword } from './own-password.ts'
import { hashOfSecret } from './secret.ts'
import { notify } from '../outbox/notify.ts'
import { countTry, forgetTries } from './tries.ts'

/** The number of recovery codes, and the random bytes of each. */
const [CODES, CODE_BYTES] = [10, 8]
/** By how many time steps of 30 s the clock of an app may be off. */
const WINDOW = 1
const PERIOD = 30
/** The wrong codes that an account may be sent within a quarter of an hour. */
const CODE_TRIES = { minutes: 15, most: 10 }

const totp = (secret: string, label = '', issuer = '') =>
  new TOTP({ secret: Secret.fromBase32(secret), label, issuer, period: PERIOD })

/** Whether somebody's second factor is on. */
export async function secondFactor(sql: Sql, account: string): Promise<SecondFactorAnswer> {
  const { secret, codesLeft } = await secondFactorOf(sql, account)
  return { isOn: secret !== null, codesLeft }
}

/**
 * Makes a secret for an authenticator app (RFC 6238), by the password of the account. It counts once it is
 * confirmed.
 *
 * @throws ApiError `wrong-current-password`, `too-many-tries`
 */
export async function offerSecondFactor(
  sql: Sql,
  account: string,
  password: string,
  address: string,
): Promise<SecondFactorOffer> {
  await checkOwnPassword(sql, account, password, address)
  const secret = new Secret({ size: 20 }).base32
  await savePending(sql, account, secret)
  return {
    secret,
    uri: totp(secret, account, `Kairostat ${(await place(sql))?.name ?? ''}`.trim()).toString(),
  }
}

/**
 * Turns the second factor on, by a code of the new secret.
 *
 * @throws ApiError `wrong-second-code`, `too-many-tries`
 */
export async function confirmSecondFactor(
  sql: Sql,
  account: string,
  code: string,
  address: string,
): Promise<RecoveryCodes> {
  if ((await countTry(sql, account, address)) === null) throw new ApiError('too-many-tries')
  const { pending } = await secondFactorOf(sql, account)
  const step = pending === null ? null : stepOf(pending, code)
  if (step === null) throw new ApiError('wrong-second-code')
  await forgetTries(sql, account, address)
  const codes = Array.from({ length: CODES }, () =>
    randomBytes(CODE_BYTES)
      .toString('hex')
      .replace(/.{4}(?=.)/g, '$&-'),
  )
  await sql.transaction(async (tx) => {
    await confirmPending(tx, account, step, codes.map(hashOfSecret))
    await record(tx, 'sign-in', `Second factor of ${account} turned on`)
  })
  return { codes }
}

/**
 * Turns the second factor off, by the password of the account.
 *
 * @throws ApiError `wrong-current-password`, `too-many-tries`
 */
export async function endSecondFactor(
  sql: Sql,
  account: string,
  password: string,
  address: string,
): Promise<void> {
  await checkOwnPassword(sql, account, password, address)
  await sql.transaction(async (tx) => {
    await removeSecondFactor(tx, account)
    await record(tx, 'sign-in', `Second factor of ${account} turned off`)
  })
}

/**
 * Turns the second factor of somebody else off, who has lost it.
 *
 * @throws ApiError `not-possible` for one's own, which asks for the password; `not-found` where there is none
 */
export async function endSecondFactorOf(sql: Sql, account: string, administrator: string): Promise<void> {
  if (account === administrator)
    throw new ApiError('not-possible', 'Turn your own second factor off under Your account.')
  await sql.transaction(async (tx) => {
    const known = (await people(tx)).some(({ name }) => name === account)
    const { secret } = await secondFactorOf(tx, account)
    if (known && (await isElsewhere(tx, account, administrator)))
      throw new ApiError('not-allowed', `${account} also uses a place of which you are no administrator.`)
    if (!known || secret === null) throw new ApiError('not-found', `${account} has no second factor.`)
    await removeSecondFactor(tx, account)
    await record(tx, 'people', `Second factor of ${account} turned off`)
  })
}

/**
 * Lets somebody pass whose password was right: at once where there is no second factor, else by a code of the
 * app, each once, or by a recovery code. Wrong codes are counted of the account, wherever they come from:
 * whoever sends them has its password, which its owner is told.
 *
 * @throws ApiError `code-needed`, `wrong-second-code`, `too-many-tries`
 */
export async function passSecondFactor(
  sql: Sql,
  account: string,
  code: string,
  address: string,
): Promise<void> {
  const { secret } = await secondFactorOf(sql, account)
  if (secret === null) return
  if (code === '') throw new ApiError('code-needed')
  const tries = await countCode(sql, account, CODE_TRIES)
  if (tries === null) throw new ApiError('too-many-tries')
  const step = stepOf(secret, code)
  if (step !== null && (await useStep(sql, account, step))) return forgetCodes(sql, account)
  if (await useRecoveryCode(sql, account, hashOfSecret(code.toLowerCase()))) {
    await forgetCodes(sql, account)
    await record(sql, 'sign-in', 'Recovery code used', { account, address })
    return
  }
  await record(sql, 'sign-in', `Wrong second code for ${account}`, { account: null, address })
  if (tries === CODE_TRIES.most)
    await notify(
      sql,
      'new-address',
      `Somebody who knows the password of ${account} sent ${tries} wrong second codes, the last from ${address}. Change the password.`,
      { account },
    )
  throw new ApiError('wrong-second-code')
}

/** The time step of which a code is; `null` = of none near now. */
function stepOf(secret: string, code: string): number | null {
  const delta = totp(secret).validate({ token: code.replaceAll(' ', ''), window: WINDOW })
  return delta === null ? null : Math.floor(Date.now() / 1000 / PERIOD) + delta
}
