import { afterAll, beforeEach, expect, test } from 'vitest'
import type { Database } from '../database/database.ts'
import { hasAccount } from '../accounts/account-sql.ts'
import { emptyDatabase } from '../../tests/support/database.ts'
import { setUpPlace } from './set-up.ts'

let sql: Database
beforeEach(async () => {
  sql = await emptyDatabase(sql)
})
afterAll(() => sql.close())

const place = { name: 'The bindery', timeZone: 'Europe/Lisbon' }
const setUpBy = (code: string) =>
  setUpPlace(sql, { code, name: 'ada', password: 'a long password', place }, 'ABCD-EFGH').then(
    () => 'set up',
    (error: { code: string }) => error.code,
  )

test.each([
  ['ABCD-EFGH', 'set up'],
  ['ABCDEFGH', 'set up'],
  ['abcd efgh', 'set up'],
  ['ABCD–EFGH', 'set up'],
  ['ABCD-EFG', 'wrong-code'],
  ['ABCD-EFGHJ', 'wrong-code'],
  ['-', 'wrong-code'],
])('the code %s is answered: %s', async (code, expected) => {
  expect([await setUpBy(code), await hasAccount(sql)]).toEqual([expected, expected === 'set up'])
})

test('a place that was set up is not set up again', async () => {
  await setUpBy('ABCD-EFGH')
  expect(await setUpBy('ABCD-EFGH')).toBe('already-set-up')
})
