import { afterAll, beforeEach, expect, test } from 'vitest'
import { startGateway, type GatewayProgram } from '../../gateway/program/gateway.ts'
import { RequestHolder } from '../../gateway/pages/requests.ts'
import { simulatedPlane } from '../../gateway/planes/simulated/plane.ts'
import { instantText, readInstant } from '../../core/time/instant.ts'
import type { AccessRequest } from '../../protocol/request.ts'
import type { Gateway } from '../../protocol/gateway/gateway.ts'
import type { HelperLimit } from '../../protocol/roles.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import type { Database } from '../database/database.ts'
import { edit, fillDraft } from '../draft/edit.ts'
import { changeOverride, endOverride, makeOverride } from './overrides.ts'
import { putLive } from './apply.ts'
import { readLive } from './live.ts'
import { deleteAct, doAct, saveAct, savedActs } from './saved-acts.ts'
import { onlyFor } from './override-who.ts'
import { answerRequest, followRequests, waitingFor } from './requests.ts'
import { emptyDatabase } from '../../tests/support/database.ts'

const [TABLET, LAPTOP, STRANGER] = ['02:5e:10:00:00:01', '02:5e:10:00:00:02', '02:5e:10:00:00:77']
const device = (id: string, mac: string) => ({ id, name: id, adapters: [{ mac, medium: 'wifi' }] })
const policy = policyOf({
  kairostat: 1,
  place: { name: 'Bindery', timeZone: 'UTC' },
  devices: [device('tablet', TABLET), device('laptop', LAPTOP)],
  groups: [
    { id: 'apprentices', name: 'Apprentices', members: ['tablet'] },
    { id: 'office', name: 'Office', members: ['laptop'] },
  ],
  rules: [
    {
      id: 'quiet',
      name: 'Quiet',
      effect: 'block',
      who: { everyone: true },
      what: { internet: true },
      when: { always: true },
    },
  ],
})
const NOTHING = {
  internet: false,
  sites: [],
  siteLists: [],
  keywords: [],
  apps: [],
  categories: [],
  services: [],
}
const LIMIT: HelperLimit = { minutes: 30, groups: ['apprentices'] }
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

const now = () => Math.floor(Date.now() / 1000)
const wish = { effect: 'allow' as const, note: '', from: null, until: null, lasts: 600 as number | null }
const codeOf = (work: Promise<unknown>) =>
  work.then(
    () => 'done',
    (error: { code: string }) => error.code,
  )

test('a saved act is done under its name, by a helper within the limit, and refused once what it names is gone', async () => {
  const dinner = {
    name: 'Dinner',
    effect: 'block' as const,
    who: { ...onlyFor({ device: 'tablet' }), devices: [], groups: ['apprentices'] },
    what: { ...NOTHING, sites: ['reelbrook.example'] },
    lasts: 900,
  }
  const id = await saveAct(sql, dinner, 'ada')
  const all = { ...dinner, name: 'All off', who: { ...dinner.who, everyone: true }, lasts: 1800 }
  const allId = await saveAct(sql, all, 'ada')
  expect(await savedActs(sql)).toEqual([
    { ...dinner, id, author: 'ada' },
    { ...all, id: allId, author: 'ada' },
  ])
  expect(await codeOf(saveAct(sql, dinner, 'ada'))).toBe('name-taken')
  expect(await codeOf(doAct(sql, allId, 'help', LIMIT))).toBe('beyond-limit')
  await doAct(sql, id, 'help', LIMIT)
  expect((await readLive(sql)).policy.overrides).toMatchObject([
    {
      effect: 'block',
      note: 'Dinner',
      what: { sites: ['reelbrook.example'] },
      who: { groups: ['apprentices'] },
    },
  ])
  await edit(sql, (draft) => draft.remove('group', 'apprentices'))
  await putLive(sql, gateway, 'ada', { note: '' })
  expect(await codeOf(doAct(sql, id, 'ada', null))).toBe('unknown-part')
  expect(await codeOf(saveAct(sql, { ...dinner, name: 'Tea' }, 'ada'))).toBe('unknown-part')
  await deleteAct(sql, id)
  expect([await codeOf(deleteAct(sql, id)), await codeOf(doAct(sql, id, 'ada', null))]).toEqual([
    'not-found',
    'not-found',
  ])
})

test('there are no more than fifty saved acts', async () => {
  const act = { effect: 'block' as const, who: onlyFor({ device: 'tablet' }), what: null, lasts: 900 }
  for (let number = 1; number <= 50; number++) await saveAct(sql, { ...act, name: `Act ${number}` }, 'ada')
  expect(await codeOf(saveAct(sql, { ...act, name: 'One more' }, 'ada'))).toBe('not-possible')
  expect(await savedActs(sql)).toHaveLength(50)
})

test('a helper allows and blocks the devices of the groups, for the minutes at most, and nothing else', async () => {
  const [tablet, laptop] = [onlyFor({ device: 'tablet' }), onlyFor({ device: 'laptop' })]
  const later = (seconds: number) => instantText(now() + seconds)
  for (const [more, expected] of [
    [{ who: tablet }, 'done'],
    [{ who: tablet, effect: 'block' }, 'done'],
    [{ who: tablet, lasts: 1800 }, 'done'],
    [{ who: { ...tablet, devices: [], groups: ['apprentices'] } }, 'done'],
    [{ who: tablet, lasts: null, until: later(1700) }, 'done'],
    [{ who: tablet, lasts: 1801 }, 'beyond-limit'],
    [{ who: tablet, lasts: null }, 'beyond-limit'],
    [{ who: tablet, lasts: null, until: later(3600) }, 'beyond-limit'],
    // Nor in pieces that are put one after the other.
    [{ who: tablet, from: later(1500), lasts: 600 }, 'beyond-limit'],
    [{ who: laptop }, 'beyond-limit'],
    [{ who: { ...tablet, devices: ['tablet', 'laptop'] } }, 'beyond-limit'],
    [{ who: { ...tablet, groups: ['office'] } }, 'beyond-limit'],
    [{ who: { ...tablet, everyone: true } }, 'beyond-limit'],
    [{ who: { ...tablet, newcomers: true } }, 'beyond-limit'],
    [{ who: onlyFor({ mac: STRANGER }) }, 'beyond-limit'],
  ] as const)
    expect([more, await codeOf(makeOverride(sql, { ...wish, ...more }, 'hal', LIMIT))]).toEqual([
      more,
      expected,
    ])
  // A group that is gone lets nobody do anything.
  const gone = { ...LIMIT, groups: ['gone'] }
  expect(await codeOf(makeOverride(sql, { ...wish, who: tablet }, 'hal', gone))).toBe('beyond-limit')
})

test('a helper changes and ends only what they made, within the limit', async () => {
  const who = onlyFor({ device: 'tablet' })
  const [own, others] = [
    await makeOverride(sql, { ...wish, who }, 'hal', LIMIT),
    await makeOverride(sql, { ...wish, who, effect: 'block', lasts: null }, 'ada'),
  ]
  const later = (minutes: number) => instantText(now() + minutes * 60)
  expect(await codeOf(changeOverride(sql, own, later(29), 'hal', LIMIT))).toBe('done')
  expect(await codeOf(changeOverride(sql, own, later(31), 'hal', LIMIT))).toBe('beyond-limit')
  expect(await codeOf(changeOverride(sql, own, null, 'hal', LIMIT))).toBe('beyond-limit')
  expect(await codeOf(changeOverride(sql, others, later(1), 'hal', LIMIT))).toBe('beyond-limit')
  expect(await codeOf(endOverride(sql, others, 'hal', LIMIT))).toBe('beyond-limit')
  expect(await codeOf(endOverride(sql, own, 'hal', LIMIT))).toBe('done')
  expect(await codeOf(endOverride(sql, others, 'ada'))).toBe('done')
})

/** A gateway at which these devices asked, that can be away. */
async function asked(...macs: string[]) {
  const holder = new RequestHolder({
    folder: null,
    damage: { note: () => {}, over: () => {} },
    nowSeconds: now,
    isKnown: () => true,
    changed: () => {},
  })
  for (const mac of macs) await holder.ask({ mac, minutes: 60, words: 'please' })
  let isAway = false
  const unlessAway = async <T>(work: () => T | Promise<T>) => {
    if (isAway) throw new Error('away')
    return work()
  }
  const there = {
    requests: () => unlessAway(() => holder.all()),
    answerRequest: (id: string, answer: AccessRequest['answer']) =>
      unlessAway(() => holder.answer(id, answer!)),
  } as unknown as Gateway
  const answers = () => holder.all().map(({ answer }) => answer?.granted ?? null)
  return { there, answers, away: (value: boolean) => (isAway = value) }
}

test('a request is seen by those who may grant it, granted once, and the gateway told, late where it was away', async () => {
  const { there, answers, away } = await asked(TABLET, LAPTOP, STRANGER)
  await followRequests(sql, there)
  await followRequests(sql, there)
  const all = await waitingFor(sql, null)
  expect(all.map((one) => one.device)).toEqual(['tablet', 'laptop', null])
  const [tablet, laptop, stranger] = all
  expect((await waitingFor(sql, LIMIT)).map(({ id }) => id)).toEqual([tablet!.id])

  for (const [id, minutes, limit, expected] of [
    [laptop!.id, 15, LIMIT, 'beyond-limit'],
    [laptop!.id, null, LIMIT, 'beyond-limit'],
    [stranger!.id, 15, LIMIT, 'beyond-limit'],
    [tablet!.id, 60, LIMIT, 'beyond-limit'],
    ['nobody', 15, null, 'not-found'],
  ] as const)
    expect(await codeOf(answerRequest(sql, id, { minutes }, 'hal', limit))).toBe(expected)
  expect((await readLive(sql)).policy.overrides).toEqual([])

  away(true)
  const both = await Promise.all(
    ['hal', 'ada'].map((by) => codeOf(answerRequest(sql, tablet!.id, { minutes: 30 }, by, LIMIT))),
  )
  expect(both.sort()).toEqual(['answered-meanwhile', 'done'])
  await answerRequest(sql, stranger!.id, { minutes: 15 }, 'ada', null)
  await answerRequest(sql, laptop!.id, { minutes: null }, 'ada', null)
  await expect(followRequests(sql, there)).rejects.toThrow('away')
  expect(answers()).toEqual([null, null, null])
  away(false)
  await followRequests(sql, there)
  expect([answers(), await waitingFor(sql, null)]).toEqual([[true, false, true], []])
  const made = (await readLive(sql)).policy.overrides
  expect(made.map(({ who, note }) => [who.devices[0] ?? who.macs[0], note])).toEqual([
    ['tablet', 'please'],
    [STRANGER, 'please'],
  ])
  // It ends thirty minutes after the answer was begun; it begins when it is written down.
  const lasts = readInstant(made[0]!.until!)! - readInstant(made[0]!.from)!
  expect([lasts > 1700, lasts <= 1800]).toEqual([true, true])
})

test('what is granted to a device that is allowed for a while begins when that ends', async () => {
  const { there } = await asked(TABLET)
  await followRequests(sql, there)
  await makeOverride(sql, { ...wish, who: onlyFor({ device: 'tablet' }), lasts: 3600 }, 'ada')
  const [request] = await waitingFor(sql, null)
  await answerRequest(sql, request!.id, { minutes: 30 }, 'hal', LIMIT)
  const [first, second] = (await readLive(sql)).policy.overrides
  expect([second!.from, readInstant(second!.until!)! - readInstant(second!.from)!]).toEqual([
    first!.until,
    1800,
  ])
})

test('a helper goes past the limit neither by many requests, nor by what was made when more was allowed', async () => {
  for (let turn = 0; turn < 4; turn++) await followRequests(sql, (await asked(TABLET)).there)
  const granted = await Promise.all(
    (await waitingFor(sql, LIMIT)).map(({ id }) =>
      codeOf(answerRequest(sql, id, { minutes: 30 }, 'hal', LIMIT)),
    ),
  )
  expect(granted.sort()).toEqual(['beyond-limit', 'beyond-limit', 'beyond-limit', 'done'])
  // Made as an editor, for others than the groups of the limit.
  const later = instantText(now() + 600)
  for (const who of [
    { ...onlyFor({ device: 'tablet' }), devices: [], everyone: true },
    onlyFor({ device: 'laptop' }),
  ]) {
    const old = await makeOverride(sql, { ...wish, who, lasts: 300 }, 'hal')
    expect(await codeOf(changeOverride(sql, old, later, 'hal', LIMIT))).toBe('beyond-limit')
    expect(await codeOf(endOverride(sql, old, 'hal', LIMIT))).toBe('beyond-limit')
  }
})
