import { afterAll, beforeEach, expect, test } from 'vitest'
import { versionTag } from '../../core/policy/canonical.ts'
import type { Device } from '../../core/policy/types.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { officeDocument } from '../demo/office.ts'
import { demoDocument } from '../demo/policy.ts'
import type { Database } from '../database/database.ts'
import {
  changeApps,
  changePlace,
  changeRules,
  putApp,
  putGroup,
  putRule,
  putSchedule,
  readDraft,
  readParts,
  sortRules,
  takeIntoDraft,
  removeEntry,
} from './draft.ts'
import { changeDevices, putDevice } from './draft-devices.ts'
import { nextSteps } from './draft-step-sql.ts'
import { fillDraft, takeStep, type Made } from './edit.ts'
import { emptyDatabase } from '../../tests/support/database.ts'

const demo = policyOf(demoDocument('2026-11-28'))
let sql: Database
beforeEach(async () => {
  sql = await emptyDatabase(sql)
})
afterAll(() => sql.close())

const night = { name: 'Nights', week: '22:00-07:00', exceptions: [], note: '' }

test('refuses an address that another device has, and says whose it is', async () => {
  await fillDraft(sql, demo)
  const form = {
    name: 'Copy',
    kind: 'other' as const,
    adapters: demo.devices[0]!.adapters,
    shielded: false,
    note: '',
  }
  await expect(putDevice(sql, null, form)).rejects.toMatchObject({
    code: 'address-taken',
    message: expect.stringContaining('belongs to “Press room laptop”') as unknown,
  })
  expect(await readDraft(sql)).toEqual(demo)
})

test('replaces nothing that was changed since it was read, and says so', async () => {
  await fillDraft(sql, demo)
  const [schedule] = demo.schedules
  const { id, ...form } = schedule!
  await putSchedule(sql, id, { ...form, week: 'off' }, versionTag(schedule!))
  await expect(putSchedule(sql, id, { ...form, name: 'Late' }, versionTag(schedule!))).rejects.toMatchObject({
    code: 'changed-meanwhile',
  })
  await expect(
    putDevice(sql, 'hall-radio', { ...demo.devices[0]!, adapters: [] }, 'another'),
  ).rejects.toMatchObject({ code: 'changed-meanwhile' })
  expect((await readDraft(sql)).schedules[0]).toEqual({ ...schedule, week: 'off' })
})

test('takes nothing out that a rule names, and says which', async () => {
  await fillDraft(sql, demo)
  await expect(removeEntry(sql, 'schedule', 'night')).rejects.toMatchObject({
    code: 'in-use',
    message: expect.stringContaining('“Workshop at night”') as unknown,
  })
  await expect(removeEntry(sql, 'device', 'catalogue-kiosk')).rejects.toMatchObject({ code: 'in-use' })
  await expect(removeEntry(sql, 'group', 'nobody')).rejects.toMatchObject({ code: 'not-found' })
  await removeEntry(sql, 'device', 'old-laptop')
  expect((await readDraft(sql)).devices.length).toBe(demo.devices.length - 1)
})

test('puts something else in the place of what goes, or nothing, and never leaves a rule without hours', async () => {
  await fillDraft(sql, demo)
  const rule = async (id: string) => (await readDraft(sql)).rules.find((one) => one.id === id)!
  await expect(removeEntry(sql, 'schedule', 'night', null)).rejects.toMatchObject({
    code: 'in-use',
    message: expect.stringContaining('“Workshop at night” would have no schedule left') as unknown,
  })
  await expect(removeEntry(sql, 'schedule', 'night', 'nowhere')).rejects.toMatchObject({
    code: 'unknown-part',
  })
  await removeEntry(sql, 'schedule', 'night', 'school-nights')
  expect((await rule('workshop-night')).when).toEqual({ schedules: ['school-nights'], outside: false })
  await removeEntry(sql, 'group', 'front', null)
  expect((await rule('workshop-night')).who.groups).toEqual(['apprentices', 'office'])
  await removeEntry(sql, 'device', 'shelf-store', 'label-printer')
  expect((await rule('workshop-night')).who.except.devices).toEqual([
    'label-printer',
    'door-camera',
    'marta-phone',
  ])
  expect((await readDraft(sql)).groups.find(({ id }) => id === 'office')!.members).not.toContain(
    'shelf-store',
  )
})

test('the same rules apply to a new device as to another: by its groups, people left aside, and beside it by name', async () => {
  await fillDraft(sql, demo)
  const form = { name: 'New', kind: 'other' as const, adapters: [], shielded: false, note: '' }
  const add = (like: string) =>
    changeDevices(sql, {
      edits: [{ id: null, device: form, groups: null, person: 'marta', like, mark: null }],
      takeOut: [],
    })
  const { ids } = await add('marta-phone')
  const draft = await readDraft(sql)
  const withNew = (names: readonly string[]) => (names.includes('marta-phone') ? [...names, ids[0]!] : names)
  expect(draft.groups).toEqual(demo.groups.map((group) => ({ ...group, members: withNew(group.members) })))
  expect(draft.rules).toEqual(
    demo.rules.map((rule) => ({
      ...rule,
      who: {
        ...rule.who,
        devices: withNew(rule.who.devices),
        except: { ...rule.who.except, devices: withNew(rule.who.except.devices) },
      },
    })),
  )
  expect(draft.rules).not.toEqual(demo.rules)
  await expect(add('nobody')).rejects.toMatchObject({ code: 'not-found' })
})

test('a device is one person’s at most: it is given from one to another, and a group that would make it two people’s is refused', async () => {
  await fillDraft(sql, demo)
  const people = async () =>
    Object.fromEntries(
      (await readDraft(sql)).groups.flatMap(({ name, person, members }) => (person ? [[name, members]] : [])),
    )
  const { id: _id, ...tablet } = demo.devices.find(({ id }) => id === 'lena-tablet')!
  const give = (person: string | null) =>
    changeDevices(sql, {
      edits: [{ id: 'lena-tablet', device: tablet, groups: null, person, mark: null }],
      takeOut: [],
    })
  const before = await people()
  await give('tomas')
  expect(await people()).toEqual({
    ...before,
    Lena: ['lena-phone', 'lena-reader'],
    Tomas: ['tomas-phone', 'tomas-tablet', 'lena-tablet'],
  })
  await give('Rui')
  expect((await people()).Rui).toEqual(['lena-tablet'])
  expect((await nextSteps(sql)).titles.undo).toBe('group Rui and 1 more')
  await give(null)
  expect((await people()).Rui).toEqual([])
  await takeStep(sql, 'undo', (await nextSteps(sql)).undo!)
  await takeStep(sql, 'undo', (await nextSteps(sql)).undo!)
  await takeStep(sql, 'undo', (await nextSteps(sql)).undo!)
  expect(await people()).toEqual(before)
  const flat = demo.groups.find(({ id }) => id === 'flat')!
  await expect(putGroup(sql, 'flat', { ...flat, person: true })).rejects.toMatchObject({ code: 'has-owner' })
  expect(await readDraft(sql)).toEqual(demo)
})

test('changes several devices at once: addresses change hands, groups are made, others go, or nothing happens at all', async () => {
  await fillDraft(sql, demo)
  const [press, ines] = demo.devices.slice(0, 2).map(({ id: _id, ...device }) => device) as [
    Omit<Device, 'id'>,
    Omit<Device, 'id'>,
  ]
  const swapped = [
    {
      id: 'press-laptop',
      device: { ...press, adapters: ines.adapters },
      groups: ['office', 'Loans'],
      mark: null,
    },
    {
      id: 'ines-phone',
      device: { ...ines, adapters: press.adapters },
      groups: null,
      mark: versionTag(demo.devices[1]!),
    },
    {
      id: null,
      device: { name: 'Ines’s phone', kind: 'phone' as const, adapters: [], shielded: false, note: '' },
      groups: ['Loans'],
      mark: null,
    },
  ]
  await expect(
    changeDevices(sql, { edits: [...swapped, { ...swapped[2]!, device: press }], takeOut: [] }),
  ).rejects.toMatchObject({ code: 'address-taken' })
  await expect(
    changeDevices(sql, {
      edits: [],
      takeOut: [
        { id: 'old-laptop', instead: null },
        { id: 'gone', instead: null },
      ],
    }),
  ).rejects.toMatchObject({ code: 'not-found' })
  expect(await readDraft(sql)).toEqual(demo)
  const { ids } = await changeDevices(sql, {
    edits: swapped,
    takeOut: [{ id: 'catalogue-kiosk', instead: null }],
  })
  const draft = await readDraft(sql)
  expect(ids).toEqual(['press-laptop', 'ines-phone', 'ines-s-phone'])
  expect(
    Object.fromEntries(
      draft.groups
        .filter(({ id }) => ['apprentices', 'office', 'loans'].includes(id))
        .map(({ id, members }) => [id, members]),
    ),
  ).toEqual({
    apprentices: ['ines-phone', 'bench-tablet', 'frame-reader', 'tomas-phone'],
    office: [
      'office-desktop',
      'ledger-laptop',
      'label-printer',
      'shelf-store',
      'door-camera',
      'marta-phone',
      'press-laptop',
    ],
    loans: ['press-laptop', 'ines-s-phone'],
  })
  expect(draft.rules.filter(({ who }) => who.devices.includes('catalogue-kiosk'))).toEqual([])
})

test('keeps a rule and its partner in their places, several apps at once, or nothing at all', async () => {
  await fillDraft(sql, demo)
  const order = async () => (await readDraft(sql)).rules.map(({ id }) => id)
  const [ids, form] = [
    demo.rules.map(({ id }) => id),
    (name: string) => ({ ...demo.rules[0]!, id: undefined as never, name }),
  ]
  const radio = demo.rules.find(({ id }) => id === 'radio')!
  const made = await changeRules(sql, {
    edits: [
      { id: 'radio', rule: { ...radio, effect: 'allow' }, mark: versionTag(radio) },
      { id: null, rule: form('Radio: nothing else'), mark: null },
    ],
    takeOut: ['upkeep'],
  })
  expect(made.ids).toEqual(['radio', 'radio-nothing-else'])
  expect(await order()).toEqual(
    ids.filter((id) => id !== 'upkeep').flatMap((id) => (id === 'radio' ? made.ids : [id])),
  )
  await takeStep(sql, 'undo', made.step!)
  expect((await readDraft(sql)).rules).toEqual(demo.rules)
  await expect(
    changeRules(sql, {
      edits: [
        { id: null, rule: form('New'), mark: null },
        { id: 'radio', rule: radio, mark: 'another' },
      ],
      takeOut: [],
    }),
  ).rejects.toMatchObject({ code: 'changed-meanwhile' })
  await expect(
    changeRules(sql, { edits: [{ id: null, rule: form('New'), mark: null }], takeOut: ['gone'] }),
  ).rejects.toMatchObject({ code: 'not-found' })
  const [tile] = demo.apps.filter(({ id }) => id === 'tilefall')
  await expect(
    changeApps(sql, {
      edits: [
        { id: null, app: tile!, mark: null },
        { id: 'gone', app: tile!, mark: null },
      ],
    }),
  ).rejects.toMatchObject({ code: 'not-found' })
  expect(await readDraft(sql)).toEqual(demo)
  expect(
    (
      await changeApps(sql, {
        edits: [
          { id: null, app: { ...tile!, name: 'Quillpost' }, mark: null },
          { id: 'tilefall', app: { ...tile!, category: 'puzzles' }, mark: versionTag(tile!) },
        ],
      })
    ).ids,
  ).toEqual(['quillpost', 'tilefall'])
  expect((await readDraft(sql)).apps.map(({ id, category }) => `${id} ${category}`).slice(-4)).toEqual([
    'tilefall puzzles',
    'chatterling chat',
    'tunecask music',
    'quillpost games',
  ])
})

test('makes one device of two, which rules and groups then meet as they met either', async () => {
  await fillDraft(sql, demo)
  const [radio, reader] = ['hall-radio', 'lena-reader'].map((id) =>
    demo.devices.find((device) => device.id === id)!,
  ) as [Device, Device]
  await changeDevices(sql, {
    edits: [
      {
        id: radio.id,
        device: { ...radio, adapters: [...radio.adapters, ...reader.adapters] },
        groups: null,
        mark: null,
      },
    ],
    takeOut: [{ id: reader.id, instead: radio.id }],
  })
  const draft = await readDraft(sql)
  expect(draft.rules.find(({ id }) => id === 'lena-sleeps')!.who.devices).toEqual([
    'lena-tablet',
    'lena-phone',
    'hall-radio',
    'attic-console',
  ])
  expect(
    draft.groups
      .find(({ id }) => id === 'flat')!
      .members.filter((id) => ['hall-radio', 'lena-reader'].includes(id)),
  ).toEqual(['hall-radio'])
  expect(draft.devices.find(({ id }) => id === 'hall-radio')!.adapters.length).toBe(2)
})

test('every edit can be undone and redone, to the letter, and only the next one in line; who asks for the parts that changed has the same draft', async () => {
  await fillDraft(sql, demo)
  const { id: _id, ...tablet } = demo.devices[2]!
  const { id: _rule, ...rule } = demo.rules[0]!
  const other = policyOf(officeDocument())
  const edits: (() => Promise<Made>)[] = [
    () => changePlace(sql, { name: 'Elsewhere', timeZone: 'Asia/Kathmandu' }),
    () => putDevice(sql, 'bench-tablet', { ...tablet, name: 'Renamed', adapters: [] }),
    () => sortRules(sql, demo.rules.map((one) => one.id).toReversed()),
    () => putSchedule(sql, null, night),
    () => putRule(sql, null, { ...rule, when: { schedules: ['nights'], outside: true } }),
    () => removeEntry(sql, 'device', 'catalogue-kiosk', null),
    () => removeEntry(sql, 'schedule', 'night', 'nights'),
    () => removeEntry(sql, 'rule', 'quiet-bench'),
    () => removeEntry(sql, 'siteList', 'catalogue', 'reference'),
    () =>
      putApp(sql, 'tilefall', {
        name: 'Tilefall',
        category: 'puzzles',
        sites: ['tilefall.example'],
        services: ['udp/9000'],
        note: '',
      }),
    () =>
      changeDevices(sql, {
        edits: [
          {
            id: 'ines-phone',
            device: { ...tablet, name: 'Swapped', adapters: demo.devices[0]!.adapters },
            groups: ['New'],
            mark: null,
          },
          {
            id: 'press-laptop',
            device: { ...tablet, adapters: demo.devices[1]!.adapters },
            groups: [],
            mark: null,
          },
        ],
        takeOut: [{ id: 'old-laptop', instead: null }],
      }),
    () => takeIntoDraft(sql, other),
  ]
  let { mark, parts: seen } = await readParts(sql, '')
  // The draft of a page that asks for changed parts alone.
  const follow = async () => {
    const { mark: next, parts } = await readParts(sql, mark)
    seen = { ...seen, ...parts }
    mark = next
    const whole = await readDraft(sql)
    expect({ kairostat: 1, overrides: [], spent: [], ...seen }).toEqual(whole)
    return whole
  }
  const states = [await readDraft(sql)]
  for (const edit of edits) {
    await edit()
    states.push(await follow())
  }
  expect((await readParts(sql, mark)).parts).toEqual({})
  await expect(takeStep(sql, 'redo', 1)).rejects.toMatchObject({ code: 'no-such-step' })
  await expect(takeStep(sql, 'undo', 1)).rejects.toMatchObject({ code: 'changed-meanwhile' })
  for (const state of states.slice(0, -1).toReversed()) {
    await takeStep(sql, 'undo', (await nextSteps(sql)).undo!)
    expect(await follow()).toEqual(state)
  }
  expect((await nextSteps(sql)).undo).toBe(null)
  for (const state of states.slice(1)) {
    await takeStep(sql, 'redo', (await nextSteps(sql)).redo!)
    expect(await follow()).toEqual(state)
  }
  expect(await readDraft(sql)).toEqual({ ...states.at(-1) })
  await takeStep(sql, 'undo', (await nextSteps(sql)).undo!)
  expect(
    (
      await putDevice(
        sql,
        'bench-tablet',
        (await readDraft(sql)).devices.find(({ id }) => id === 'bench-tablet')!,
      )
    ).step,
  ).toBe(null)
  await putGroup(sql, null, { name: 'After', person: false, members: [], note: '' })
  expect((await nextSteps(sql)).redo).toBe(null)
})

test('makes ids from names, and refuses to replace what is not there or to name what is gone', async () => {
  await fillDraft(sql, demo)
  expect([(await putSchedule(sql, null, night)).id, (await putSchedule(sql, null, night)).id]).toEqual([
    'nights',
    'nights-2',
  ])
  await expect(putSchedule(sql, 'gone', night)).rejects.toMatchObject({ code: 'not-found' })
  const { id: _id, ...rule } = demo.rules[0]!
  await expect(
    putRule(sql, null, { ...rule, when: { schedules: ['gone'], outside: false } }),
  ).rejects.toMatchObject({ code: 'unknown-part' })
  expect((await readDraft(sql)).rules).toEqual(demo.rules)
})
