import { afterAll, beforeEach, expect, test } from 'vitest'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { fillDemo } from './fill.ts'
import { demoDocument } from './policy.ts'
import type { Database } from '../database/database.ts'
import { readDraft } from '../draft/draft.ts'
import { readLive } from '../live/live.ts'
import { signIn } from '../accounts/sign-in.ts'
import { cameFrom } from '../../tests/support/came-from.ts'
import { emptyDatabase } from '../../tests/support/database.ts'

const demo = policyOf(demoDocument('2026-11-28'))
let sql: Database
beforeEach(async () => {
  sql = await emptyDatabase(sql)
})
afterAll(() => sql.close())

test('the demo is made anew over itself, and never over a place that somebody set up', async () => {
  for (const password of ['first', 'second']) {
    await fillDemo(sql, password, 'workshop')
    expect(await signIn(sql, 'demo', password, cameFrom('192.0.2.1'))).toBeTruthy()
  }
  const { policy, revision } = await readLive(sql)
  expect([policy.devices.length, policy.overrides.length, revision!.number]).toEqual([
    demo.devices.length,
    2,
    1,
  ])
  await fillDemo(sql, 'office', 'office')
  const office = await readLive(sql)
  expect([
    office.policy.devices.length,
    office.policy.schedules.length,
    office.policy.rules.length,
    office.revision!.number,
  ]).toEqual([500, 50, 60, 1])
  // Whatever the account is called: the mark says what it is.
  await sql.exec('delete from demo_mark')
  await expect(fillDemo(sql, 'third', 'workshop')).rejects.toThrow('not the demo, which the demo would erase')
  expect((await readDraft(sql)).devices.length).toBe(500)
})
