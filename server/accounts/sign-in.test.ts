import { afterAll, beforeEach, expect, test } from 'vitest'
import type { Database } from '../database/database.ts'
import { ownSessions, endOwnSession, principalOf, setUp, signIn, signOut } from './sign-in.ts'
import { cameFrom } from '../../tests/support/came-from.ts'
import { emptyDatabase } from '../../tests/support/database.ts'

const accountOf = async (token: string | undefined) => (await principalOf(sql, token))?.account ?? null
let sql: Database
beforeEach(async () => {
  sql = await emptyDatabase(sql)
})
afterAll(() => sql.close())

test('opens a session that can be revoked, here or everywhere', async () => {
  await setUp(sql, 'ada', 'a long password')
  await expect(setUp(sql, 'eve', 'another password')).rejects.toMatchObject({ code: 'already-set-up' })
  const tokens = [
    await signIn(sql, 'ada', 'a long password', cameFrom('192.0.2.1')),
    await signIn(sql, 'ada', 'a long password', cameFrom('192.0.2.1')),
    await signIn(sql, 'ada', 'a long password', cameFrom('192.0.2.2')),
  ]
  const accounts = () => Promise.all(tokens.map((token) => accountOf(token)))
  expect(await accounts()).toEqual(['ada', 'ada', 'ada'])
  await signOut(sql, tokens[0]!, false)
  expect(await accounts()).toEqual([null, 'ada', 'ada'])
  await signOut(sql, tokens[1]!, true)
  expect(await accounts()).toEqual([null, null, null])
  expect([await accountOf(undefined), await accountOf('guessed')]).toEqual([null, null])
})

test('lists the sessions of an account, and ends one by itself', async () => {
  await setUp(sql, 'ada', 'a long password')
  const tokens = [
    await signIn(sql, 'ada', 'a long password', cameFrom('192.0.2.1')),
    await signIn(sql, 'ada', 'a long password', cameFrom('192.0.2.2')),
  ]
  const listed = await ownSessions(sql, 'ada', tokens[1]!)
  expect(listed.map(({ address, browser, isThis }) => [address, browser, isThis]).sort()).toEqual([
    ['192.0.2.1', 'a browser', false],
    ['192.0.2.2', 'a browser', true],
  ])
  const other = listed.find(({ isThis }) => !isThis)!
  await expect(endOwnSession(sql, 'eve', other.id)).rejects.toMatchObject({ code: 'not-found' })
  await endOwnSession(sql, 'ada', other.id)
  expect(await Promise.all(tokens.map(accountOf))).toEqual([null, 'ada'])
})

test('keeps neither password nor token as they are', async () => {
  await setUp(sql, 'ada', 'a long password')
  const token = await signIn(sql, 'ada', 'a long password', cameFrom('192.0.2.1'))
  const kept = JSON.stringify([
    await sql.query('select * from account'),
    await sql.query('select * from session'),
  ])
  expect([kept.includes('a long password'), kept.includes(token), kept.includes('$argon2id$')]).toEqual([
    false,
    false,
    true,
  ])
})

test('is limited per account and address: a sixth wrong try is not even looked at, nor are many at once', async () => {
  await setUp(sql, 'ada', 'a long password')
  const outcomes = await Promise.allSettled(
    Array.from({ length: 9 }, () => signIn(sql, 'ada', 'wrong', cameFrom('192.0.2.1'))),
  )
  const codes = outcomes.map((outcome) =>
    outcome.status === 'rejected' ? (outcome.reason as { code: string }).code : 'signed in',
  )
  expect(codes.sort()).toEqual([
    ...Array<string>(4).fill('too-many-tries'),
    ...Array<string>(5).fill('wrong-password'),
  ])
  await expect(signIn(sql, 'ada', 'a long password', cameFrom('192.0.2.1'))).rejects.toMatchObject({
    code: 'too-many-tries',
  })
  // However many come, those that were refused do not count, and who is elsewhere is not shut out.
  await Promise.allSettled(
    Array.from({ length: 60 }, () => signIn(sql, 'ada', 'wrong', cameFrom('192.0.2.1'))),
  )
  expect((await sql.query('select 1 from sign_in_try')).length).toBe(5)
  expect(await signIn(sql, 'ada', 'a long password', cameFrom('192.0.2.2'))).toBeTruthy()
  await sql.query(`update sign_in_try set tried_at = tried_at - interval '16 minutes'`)
  expect(await signIn(sql, 'ada', 'a long password', cameFrom('192.0.2.1'))).toBeTruthy()
})

test('does not tell which names exist', async () => {
  await setUp(sql, 'ada', 'a long password')
  await expect(signIn(sql, 'nobody', 'wrong', cameFrom('192.0.2.1'))).rejects.toMatchObject({
    code: 'wrong-password',
  })
})
