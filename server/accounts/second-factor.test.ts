import { Secret, TOTP } from 'otpauth'
import { afterAll, afterEach, beforeEach, expect, test, vi } from 'vitest'
import { cameFrom } from '../../tests/support/came-from.ts'
import type { Database } from '../database/database.ts'
import { addAccount, addMember } from './people-sql.ts'
import {
  confirmSecondFactor,
  endSecondFactor,
  endSecondFactorOf,
  offerSecondFactor,
  secondFactor,
} from './second-factor.ts'
import { principalOf, resetPassword, setUp, signIn } from './sign-in.ts'
import { emptyDatabase } from '../../tests/support/database.ts'

const [PASSWORD, HERE] = ['a long password', '192.0.2.1']
let sql: Database
beforeEach(async () => {
  // The clock stands in the middle of a code's half minute: no code becomes another one while a test runs.
  vi.useFakeTimers({ toFake: ['Date'], now: Math.floor(Date.now() / 30_000) * 30_000 + 15_000 })
  sql = await emptyDatabase(sql)
  await setUp(sql, 'ada', PASSWORD)
})
afterEach(() => vi.useRealTimers())
afterAll(() => sql.close())

const codeAt = (secret: string, steps: number) =>
  new TOTP({ secret: Secret.fromBase32(secret) }).generate({ timestamp: Date.now() + steps * 30_000 })
let visits = 0
/** Signs in from an address of its own, so that tries do not add up; says why it could not. */
const enter = (code?: string, password = PASSWORD) =>
  signIn(sql, 'ada', password, cameFrom(`198.51.100.${++visits}`), code).then(
    () => 'in',
    (error: { code: string }) => error.code,
  )
async function turnedOn() {
  const { secret, uri } = await offerSecondFactor(sql, 'ada', PASSWORD, HERE)
  const { codes } = await confirmSecondFactor(sql, 'ada', codeAt(secret, -1), HERE)
  return { secret, uri, codes }
}

test('it counts once a code confirmed it, and is asked for only after the right password', async () => {
  await expect(offerSecondFactor(sql, 'ada', 'wrong', HERE)).rejects.toMatchObject({
    code: 'wrong-current-password',
  })
  await expect(confirmSecondFactor(sql, 'ada', '000000', HERE)).rejects.toMatchObject({
    code: 'wrong-second-code',
  })
  const { secret } = await offerSecondFactor(sql, 'ada', PASSWORD, HERE)
  expect([await enter(), (await secondFactor(sql, 'ada')).isOn]).toEqual(['in', false])
  await expect(confirmSecondFactor(sql, 'ada', codeAt(secret, 9), HERE)).rejects.toMatchObject({
    code: 'wrong-second-code',
  })
  const { uri, codes } = await turnedOn()
  expect(uri).toMatch(/^otpauth:\/\/totp\/Kairostat.*ada\?/)
  expect([new Set(codes).size, await secondFactor(sql, 'ada')]).toEqual([10, { isOn: true, codesLeft: 10 }])
  expect([await enter(), await enter('', 'wrong'), await enter('123456', 'wrong')]).toEqual([
    'code-needed',
    'wrong-password',
    'wrong-password',
  ])
})

test('a code of now, the one before or after signs in once; none that was used, and none of long ago', async () => {
  const { secret } = await turnedOn()
  for (const [steps, expected] of [
    [-3, 'wrong-second-code'],
    [3, 'wrong-second-code'],
    // The one that turned it on.
    [-1, 'wrong-second-code'],
    [0, 'in'],
    [0, 'wrong-second-code'],
    [1, 'in'],
    // One before a code that was used is over, too.
    [0, 'wrong-second-code'],
  ] as const)
    expect([steps, await enter(codeAt(secret, steps))]).toEqual([steps, expected])
})

test('each recovery code signs in once, however it is written; the password and the console take the factor away', async () => {
  const { codes } = await turnedOn()
  expect([await enter(codes[0]), await enter(codes[0]), await enter(codes[1]!.toUpperCase())]).toEqual([
    'in',
    'wrong-second-code',
    'in',
  ])
  expect((await secondFactor(sql, 'ada')).codesLeft).toBe(8)
  const stored = JSON.stringify(await sql.query('select * from recovery_code'))
  expect(codes.some((code) => stored.includes(code))).toBe(false)
  await expect(endSecondFactor(sql, 'ada', 'wrong', HERE)).rejects.toMatchObject({
    code: 'wrong-current-password',
  })
  await endSecondFactor(sql, 'ada', PASSWORD, HERE)
  expect([await enter(), await secondFactor(sql, 'ada')]).toEqual(['in', { isOn: false, codesLeft: 0 }])
  await turnedOn()
  const { password } = JSON.parse(await resetPassword(sql, null)) as { password: string }
  expect(await enter('', password)).toBe('in')
})

test('a thousand guesses of the code are looked at five times', async () => {
  const { secret } = await turnedOn()
  const said = new Map<string, number>()
  for (let guess = 0; guess < 1000; guess++)
    await signIn(sql, 'ada', PASSWORD, cameFrom(HERE), String(guess).padStart(6, '0')).catch(
      ({ code }: { code: string }) => said.set(code, (said.get(code) ?? 0) + 1),
    )
  expect(Object.fromEntries(said)).toEqual({ 'wrong-second-code': 5, 'too-many-tries': 995 })
  const token = await signIn(sql, 'ada', PASSWORD, cameFrom('192.0.2.9'), codeAt(secret, 1))
  expect((await principalOf(sql, token))?.account).toBe('ada')
})

test('an administrator turns off that of somebody who lost it, and not their own without the password', async () => {
  await turnedOn()
  await addAccount(sql, 'bo', 'x')
  await addMember(sql, 'bo', { role: 'administrator', limit: null })
  await expect(endSecondFactorOf(sql, 'ada', 'ada')).rejects.toMatchObject({ code: 'not-possible' })
  expect(await enter()).toBe('code-needed')
  // Nobody opens another place by this one.
  await sql.exec(`insert into member (place, account, role) values ('other', 'ada', 'viewer')`)
  await expect(endSecondFactorOf(sql, 'ada', 'bo')).rejects.toMatchObject({ code: 'not-allowed' })
  await sql.exec(`delete from member where place = 'other'`)
  await endSecondFactorOf(sql, 'ada', 'bo')
  expect(await enter()).toBe('in')
  await expect(endSecondFactorOf(sql, 'ada', 'bo')).rejects.toMatchObject({ code: 'not-found' })
})

test('wrong codes are counted of the account, wherever they come from, and its owner is told', async () => {
  const { secret, codes } = await turnedOn()
  await sql.exec(`update account set mail = 'ada@bindery.example';
    insert into notice_wish (account, kind) values ('ada', 'new-address')`)
  const said = await Promise.all(Array.from({ length: 40 }, () => enter('123456')))
  const wrong = said.filter((code) => code === 'wrong-second-code').length
  expect([wrong, said.filter((code) => code === 'too-many-tries').length]).toEqual([10, 30])
  expect([await enter(codeAt(secret, 1)), await enter(codes[0])]).toEqual([
    'too-many-tries',
    'too-many-tries',
  ])
  expect((await sql.query<{ words: string }>('select words from notice')).map(({ words }) => words)).toEqual([
    expect.stringMatching(/^Somebody who knows the password of ada sent 10 wrong second codes/),
  ])
  await sql.query(`update code_try set tried_at = tried_at - interval '16 minutes'`)
  expect(await enter(codeAt(secret, 1))).toBe('in')
})
