import { afterAll, beforeEach, expect, test } from 'vitest'
import { startGateway, type GatewayProgram } from '../../gateway/program/gateway.ts'
import { simulatedPlane } from '../../gateway/planes/simulated/plane.ts'
import type { Spent } from '../../core/policy/types.ts'
import { instantText, readInstant } from '../../core/time/instant.ts'
import { overrideWords } from '../../core/words/override.ts'
import type { AllowanceNews } from '../../protocol/gateway/allowance.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import type { Database } from '../database/database.ts'
import { saveSpent, spentSince } from './spent-sql.ts'
import { allowanceFollower } from './allowances.ts'
import { readDraft } from '../draft/draft.ts'
import { fillDraft } from '../draft/edit.ts'
import { history } from './history.ts'
import { makeOverride } from './overrides.ts'
import { putLive } from './apply.ts'
import { readLive } from './live.ts'
import { onlyFor } from './override-who.ts'
import { allOf } from '../../tests/support/all-of.ts'
import { emptyDatabase } from '../../tests/support/database.ts'

const NOW = Math.floor(Date.now() / 1000)
const at = (seconds: number) => instantText(NOW + seconds)
const device = (id: string, mac: string) => ({ id, name: id, adapters: [{ mac, medium: 'wifi' }] })
const policy = policyOf({
  kairostat: 1,
  place: { name: 'Bindery', timeZone: 'UTC' },
  devices: [device('tablet', '02:5e:10:00:00:01'), device('console', '02:5e:10:00:00:02')],
  groups: [{ id: 'lena', name: 'Lena', members: ['tablet', 'console'] }],
  rules: [
    {
      id: 'two-hours',
      name: 'Two hours',
      effect: 'block',
      who: { groups: ['lena'] },
      what: { internet: true },
      when: { always: true },
      after: { minutes: 120, per: 'day', from: '04:00' },
    },
  ],
})
let sql: Database, gateway: GatewayProgram
beforeEach(async () => {
  sql = await emptyDatabase(sql)
  await fillDraft(sql, policy)
  gateway ??= await startGateway(simulatedPlane([], { timeZone: 'UTC', seed: 1 }), { folder: null })
  await putLive(sql, gateway, 'ada', { note: '' })
})
afterAll(async () => {
  await gateway.stop()
  await sql.close()
})

const spent = (from: number, until: number, device: string | null = 'tablet'): Spent => ({
  rule: 'two-hours',
  device,
  mac: null,
  from: at(from),
  until: at(until),
})
const told = (time: number, ...all: Spent[]) => ({
  allowances: async (): Promise<AllowanceNews> => ({ at: at(time), uses: [], spent: all }),
})
const kept = async () =>
  (await spentSince(sql, at(-1e6))).map(({ device, from, until }) => [device, from, until])

test('the draft keeps what a rule has as its allowance', async () => {
  expect((await readDraft(sql)).rules[0]!.after).toEqual(policy.rules[0]!.after)
})

test('what was used up is kept as it really was, told twice or ended early, and is live', async () => {
  await allowanceFollower(sql, told(0, spent(-60, 3600), spent(30, 3600, 'console')))()
  await allowanceFollower(sql, told(5, spent(-60, 3600), spent(30, 3600, 'console')))()
  expect(await kept()).toEqual([
    ['tablet', at(-60), at(3600)],
    ['console', at(30), at(3600)],
  ])
  // One ended early, as the gateway says; the other was taken back before it began.
  await allowanceFollower(sql, told(20, spent(-60, 15)))()
  expect(await kept()).toEqual([['tablet', at(-60), at(15)]])
  // A gateway that lost what it knew holds nobody to it any longer.
  await allowanceFollower(sql, told(25, spent(-60, 15), spent(22, 3600, 'console')))()
  await allowanceFollower(sql, told(100))()
  expect(await kept()).toEqual([
    ['tablet', at(-60), at(15)],
    ['console', at(22), at(100)],
  ])
  const { policy: live, digest } = await readLive(sql)
  expect([live.spent.length, digest]).toEqual([2, (await readLive(sql)).digest])
  const periods = await allOf(history(sql, NOW - 7200))
  expect(periods.at(-1)!.policy.spent).toEqual(live.spent)
})

test('the past knows only what was used up of rules and devices that it had', async () => {
  const others = [spent(-60, 60, 'gone'), { ...spent(-60, 60), rule: 'gone' }, spent(-60, 60, null)]
  await saveSpent(sql, [spent(-60, 60), ...others], at(0))
  expect((await readLive(sql)).policy.spent.map(({ device }) => device)).toEqual(['tablet'])
})

test('who wants to hear of it is told once that an allowance is used up', async () => {
  await sql.exec(`insert into account (name, password_hash, mail) values ('ada', 'x', 'ada@bindery.example');
      insert into member (place, account, role) values ('first', 'ada', 'administrator');
    insert into notice_wish (account, kind) values ('ada', 'allowance')`)
  const words = async () =>
    (await sql.query<{ words: string }>('select words from notice order by number')).map((row) => row.words)
  for (let turn = 0; turn < 2; turn++) await allowanceFollower(sql, told(0, spent(-60, 3600)))()
  // A period that is over already is no news.
  await allowanceFollower(sql, told(0, spent(-60, 3600), spent(-900, -300, 'console')))()
  expect(await words()).toEqual(['tablet has used up the allowance of “Two hours”'])
})

test('more is added until the last period ends, and where there is nothing to add to it is refused', async () => {
  const wish = { effect: 'allow' as const, who: onlyFor({ device: 'tablet' }), note: '' }
  const ends = { from: null, until: null, lasts: null }
  await makeOverride(sql, { ...wish, ...ends, more: { minutes: 20 } }, 'ada')
  const { policy: live } = await readLive(sql)
  const [one] = live.overrides
  expect([one!.more, readInstant(one!.until!)! % 86_400]).toEqual([{ minutes: 20 }, 4 * 3600])
  expect(overrideWords(one!, live)).toMatch(/^20 min more: Tablet, /)
  await expect(makeOverride(sql, { ...wish, ...ends, more: { megabytes: 20 } }, 'ada')).rejects.toMatchObject(
    { code: 'not-possible', faults: [{ path: 'more' }] },
  )
})

test('a helper adds no more than their limit in all, of minutes alone', async () => {
  const limit = { minutes: 30, groups: ['lena'] }
  const add = (size: object, device = 'tablet') =>
    makeOverride(
      sql,
      {
        effect: 'allow',
        who: onlyFor({ device }),
        note: '',
        from: null,
        until: null,
        lasts: null,
        more: size as { minutes: number },
      },
      'ben',
      limit,
    ).then(
      () => 'done',
      (error: { code: string }) => error.code,
    )
  const outcomes: string[] = []
  for (const [minutes, device] of [
    [31, 'tablet'],
    [20, 'tablet'],
    [20, 'tablet'],
    [10, 'tablet'],
    [1, 'tablet'],
    [30, 'console'],
  ] as const)
    outcomes.push(await add({ minutes }, device))
  expect(outcomes).toEqual(['beyond-limit', 'done', 'beyond-limit', 'done', 'beyond-limit', 'done'])
})
