import { GatewaySecret } from '../../gateway/transport/pairing.ts'
import { createServer, type Server } from 'node:http'
import { mkdtemp } from 'node:fs/promises'
import { readFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { AddressInfo } from 'node:net'
import pino from 'pino'
import { afterAll, afterEach, beforeEach, describe, expect, test } from 'vitest'
import { canonicalText, digestOfText, versionTag } from '../../core/policy/canonical.ts'
import { readInstant } from '../../core/time/instant.ts'
import type { Device } from '../../core/policy/types.ts'
import { GatewayFailure, type Refusal, type Sighting } from '../../protocol/gateway.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { startGateway } from '../../gateway/program/gateway.ts'
import { startSimulatedGateway } from '../../gateway/simulation/simulated-gateway.ts'
import { gatewayAt } from '../../gateway/transport/http-client.ts'
import { gatewayServer } from '../../gateway/transport/http-server.ts'
import type { DataPlane } from '../../gateway/planes/plane.ts'
import { simulatedPlane } from '../../gateway/planes/simulated/plane.ts'
import { WORKSHOP } from '../../gateway/planes/simulated/workshop.ts'
import { fillDemo } from '../demo/fill.ts'
import { officeDocument } from '../demo/office.ts'
import { demoDocument } from '../demo/policy.ts'
import type { Database } from '../database/database.ts'
import { migrate } from '../database/migrate.ts'
import { saveSightings } from '../gateways/sighting-sql.ts'
import { addRevision, liveRevision, revisions } from './revision-sql.ts'
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
} from '../draft/draft.ts'
import { changeDevices, putDevice } from '../draft/draft-devices.ts'
import { stepNumbers } from '../draft/draft-step-sql.ts'
import { fillDraft, takeStep, type Made } from '../draft/edit.ts'
import { ERRORS } from '../errors.ts'
import { linkGateway, type GatewayLink, type LinkParts } from '../gateways/gateway-link.ts'
import { endGuestPass, guestPasses, makeGuestPass, useGuestPasses } from './guest-pass.ts'
import { history } from './history.ts'
import { changeOverride, endOverride, makeOverride, putLive, readLive, revisionPolicy } from './live.ts'
import { makerOf } from '../gateways/vendor.ts'
import { isOpen } from '../http/open-routes.ts'
import { ownSessions, endOwnSession, principalOf, setUp, signIn, signOut } from '../accounts/sign-in.ts'
import { cameFrom } from '../../tests/support/came-from.ts'
import { allOf } from '../../tests/support/all-of.ts'
import { testDatabase } from '../../tests/support/database.ts'

const accountOf = async (token: string | undefined) => (await principalOf(sql, token))?.account ?? null
const silent = pino({ level: 'silent' })
const demo = policyOf(demoDocument('2026-11-28'))
let sql: Database
beforeEach(async () => {
  sql ??= await testDatabase()
  await sql.exec('drop schema kairostat cascade; create schema kairostat')
  await migrate(sql)
})
afterAll(() => sql.close())

describe('signing in', () => {
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
})

describe('the draft', () => {
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
    await expect(
      putSchedule(sql, id, { ...form, name: 'Late' }, versionTag(schedule!)),
    ).rejects.toMatchObject({
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
    // What a page has that asks for no more than what changed.
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
      await takeStep(sql, 'undo', (await stepNumbers(sql)).undo!)
      expect(await follow()).toEqual(state)
    }
    expect((await stepNumbers(sql)).undo).toBe(null)
    for (const state of states.slice(1)) {
      await takeStep(sql, 'redo', (await stepNumbers(sql)).redo!)
      expect(await follow()).toEqual(state)
    }
    expect(await readDraft(sql)).toEqual({ ...states.at(-1) })
    await takeStep(sql, 'undo', (await stepNumbers(sql)).undo!)
    expect(
      (
        await putDevice(
          sql,
          'bench-tablet',
          (await readDraft(sql)).devices.find(({ id }) => id === 'bench-tablet')!,
        )
      ).step,
    ).toBe(null)
    await putGroup(sql, null, { name: 'After', members: [], note: '' })
    expect((await stepNumbers(sql)).redo).toBe(null)
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
})

describe('putting live', () => {
  const links: GatewayLink[] = []
  const servers: Server[] = []
  afterEach(() => {
    links.splice(0).forEach((link) => link.stop())
    servers.splice(0).forEach((server) => server.closeAllConnections())
  })
  const plane = (more: Partial<DataPlane> = {}) =>
    Object.assign(simulatedPlane(WORKSHOP, { timeZone: 'Europe/Lisbon', seed: 1 }), more)
  const link = (gateway: LinkParts['gateway']) => {
    const made = linkGateway({
      gateway,
      live: () => readLive(sql),
      changed: () => {},
      isTrial: () => false,
      log: silent,
    })
    links.push(made)
    return made
  }

  test('is in force when the gateway answers with the digest, and only then', async () => {
    await fillDraft(sql, demo)
    const gateway = await startSimulatedGateway(plane(), { folder: null })
    const linked = link(gateway)
    expect((await linked.look()).state).toBe('in-force')
    const before = (await gateway.status()).digest
    expect(await putLive(sql, gateway, 'ada', 'first')).toBe(1)
    expect((await gateway.status()).digest).toBe(before)
    linked.liveChanged()
    expect(await linked.look()).toMatchObject({
      state: 'in-force',
      status: { digest: (await readLive(sql)).digest },
    })
    await expect(putLive(sql, gateway, 'ada', '')).rejects.toMatchObject({ code: 'nothing-to-put-live' })
  })

  test('a policy that the gateway refuses changes nothing and says why', async () => {
    await fillDraft(sql, demo)
    const gateway = await startGateway(
      plane({
        check: async (policy) =>
          policy.devices.length > 5
            ? [{ path: 'devices', message: 'are more than this gateway can hold' }]
            : null,
      }),
      { folder: null },
    )
    const linked = link(gateway)
    await linked.look()
    const held = await gateway.status()
    await expect(putLive(sql, gateway, 'ada', '')).rejects.toMatchObject({
      code: 'refused-by-gateway',
      faults: [{ path: 'devices', message: 'are more than this gateway can hold' }],
    })
    expect([await liveRevision(sql), (await gateway.status()).digest]).toEqual([null, held.digest])
  })

  test('what the gateway cannot take now is sent again, and what it refuses is not', async () => {
    await fillDraft(sql, demo)
    const gateway = await startSimulatedGateway(plane(), { folder: null })
    let [sent, answer]: [number, () => Promise<Refusal>] = [
      0,
      () => Promise.reject(new GatewayFailure('The disk is full.')),
    ]
    const linked = link({
      status: () => gateway.status(),
      amend: (overrides, digest) => gateway.amend(overrides, digest),
      watch: (changed, signal) => gateway.watch(changed, signal),
      enforce: () => {
        sent++
        return answer()
      },
    })
    expect(await linked.look()).toMatchObject({ state: 'pending', trouble: 'The disk is full.' })
    // Not at every look: a policy may be large.
    await linked.look()
    expect(sent).toBe(1)
    answer = () => Promise.resolve([{ path: 'devices', message: 'are too many' }])
    await expect.poll(() => linked.view().state, { timeout: 5000 }).toBe('refused')
    linked.liveChanged()
    await linked.look()
    expect([sent, linked.view().trouble]).toEqual([2, 'devices are too many'])
  })

  test('an earlier revision is put live again, or taken into the draft to the letter', async () => {
    await fillDraft(sql, demo)
    const gateway = await startSimulatedGateway(plane(), { folder: null })
    await putLive(sql, gateway, 'ada', 'first')
    await takeIntoDraft(sql, { ...demo, devices: demo.devices.toReversed().slice(5), groups: [], rules: [] })
    await putLive(sql, gateway, 'ben', 'second')
    expect(await putLive(sql, gateway, 'ada', 'back', 1)).toBe(3)
    await expect(putLive(sql, gateway, 'ada', 'back', 1)).rejects.toMatchObject({
      code: 'nothing-to-put-live',
    })
    await expect(putLive(sql, gateway, 'ada', 'back', 9)).rejects.toMatchObject({ code: 'not-found' })
    expect((await revisions(sql)).map(({ number, author, note }) => [number, author, note])).toEqual([
      [3, 'ada', 'back'],
      [2, 'ben', 'second'],
      [1, 'ada', 'first'],
    ])
    expect((await readLive(sql)).policy).toEqual({ ...demo, overrides: [] })
    await takeIntoDraft(sql, await revisionPolicy(sql, 1))
    expect(await readDraft(sql)).toEqual({ ...demo, overrides: [] })
    await gateway.stop()
  })

  test('a gateway that was away gets what is live when it is back, without anyone asking', async () => {
    await fillDraft(sql, demo)
    const file = join(await mkdtemp(join(tmpdir(), 'kairostat-gateway-')), 'policy.json')
    const free = createServer().listen(0, '127.0.0.1')
    await new Promise((resolve) => free.once('listening', resolve))
    const { port } = free.address() as AddressInfo
    await new Promise((resolve) => free.close(resolve))
    const remote = gatewayAt(`http://127.0.0.1:${port}`, 'secret')
    const linked = link(remote)
    expect((await linked.look()).state).toBe('away')
    await putLive(sql, remote, 'ada', '')
    linked.liveChanged()
    expect((await linked.look()).state).toBe('away')

    const gateway = await startSimulatedGateway(plane(), { folder: file })
    const server = gatewayServer(gateway, new GatewaySecret('secret')).listen(port, '127.0.0.1')
    servers.push(server)
    await expect.poll(() => linked.view().state, { timeout: 5000 }).toBe('in-force')
    expect((await remote.status()).digest).toBe((await readLive(sql)).digest)
    expect((await remote.sightings()).length).toBe(WORKSHOP.filter(({ stays }) => !stays).length)
    await expect(gatewayAt(`http://127.0.0.1:${port}`, 'guess').status()).rejects.toThrow('401')

    // One process a folder, also of a gateway.
    await expect(startSimulatedGateway(plane(), { folder: file })).rejects.toThrow('in use by process')
    const { digest } = await gateway.status()
    await gateway.stop()
    const restarted = await startSimulatedGateway(plane(), { folder: file })
    expect((await restarted.status()).digest).toBe(digest)
    await restarted.stop()
  })

  test('time-zone data that differ are told, with the first difference', async () => {
    await fillDraft(sql, demo)
    const gateway = await startSimulatedGateway(plane(), { folder: null })
    expect((await link(gateway).look()).zoneData).toBe(null)
    const saying = (said: object) => ({
      status: async () => ({ ...(await gateway.status()), clock: '2026-11-23T10:00:00Z', ...said }),
      enforce: () => Promise.reject(new Error('It is in force already.')),
      amend: () => Promise.reject(new Error('It is in force already.')),
      watch: async () => {},
    })
    const old = saying({ offsets: ['0', '2026-03-29T01:00:00Z 3600', '2026-10-18T01:00:00Z 0'] })
    expect((await link(old).look()).zoneData).toEqual({
      theirs: '2026-10-18T01:00:00Z 0',
      ours: '2026-10-25T01:00:00Z 0',
    })
    const short = saying({ timeZone: 'Somewhere/Unknown', offsets: [] })
    expect((await link(short).look()).zoneData).toBe(null)
    await gateway.stop()
  })

  test('a gateway tells of changes over HTTP', async () => {
    const gateway = await startSimulatedGateway(plane(), { folder: null })
    const server = gatewayServer(gateway, new GatewaySecret('secret')).listen(0, '127.0.0.1')
    servers.push(server)
    await new Promise((resolve) => server.once('listening', resolve))
    const remote = gatewayAt(`http://127.0.0.1:${(server.address() as AddressInfo).port}`, 'secret')
    const heard: string[] = []
    const stop = new AbortController()
    const watching = remote.watch((change) => heard.push(change), stop.signal).catch(() => {})
    await expect.poll(() => heard, { timeout: 5000 }).toContain('evidence')
    const simulation = await remote.simulation()
    await simulation.setClock('2026-11-27T21:30:00Z')
    await expect.poll(() => heard).toContain('status')
    expect((await remote.status()).clock).toMatch(/^2026-11-27T21:30:0/)
    await expect(simulation.setClock('later')).rejects.toThrow('"later" is not an instant')
    const since = () => remote.lookups('2026-11-27T21:30:00Z')
    await expect.poll(async () => (await since()).length, { timeout: 5000 }).toBeGreaterThan(0)
    expect((await since()).filter(({ last }) => last < '2026-11-27T21:30:00Z')).toEqual([])
    await expect(simulation.useApp(demo.devices[0]!.adapters[0]!.mac, 'Nothing')).rejects.toThrow(
      'no app “Nothing”',
    )
    stop.abort()
    await watching
    await gateway.stop()
  })

  test('what was in force follows without gap or overlap, whatever clocks and quick hands did', async () => {
    await fillDraft(sql, demo)
    const document = canonicalText(demo)
    const apply = (note: string) =>
      addRevision(sql, { digest: digestOfText(document), document, author: 'ada', note })
    await apply('within one second with the next')
    await apply('before the clock was set back')
    await sql.query(`update revision set created_at = now() + interval '1 hour'`)
    await apply('at once after')
    await apply('later')
    await sql.query(`update revision set created_at = created_at + interval '1 minute' where number = 4`)
    const last = await apply('last')
    for (const from of [0, readInstant(last.createdAt)! - 1, readInstant(last.createdAt)!]) {
      const periods = await allOf(history(sql, from))
      expect(periods.at(-1)).toMatchObject({ number: last.number, until: null })
      for (const [index, { from: begins, until }] of periods.entries()) {
        expect(until).toBe(periods[index + 1]?.from ?? null)
        if (begins !== null && until !== null) expect(begins < until).toBe(true)
      }
    }
    expect((await allOf(history(sql, 0))).map(({ number }) => number)).toEqual([null, 3, 5])
  })

  test('an override counts at once, beside the revision, and only for what is live', async () => {
    await fillDraft(sql, demo)
    const gateway = await startSimulatedGateway(plane(), { folder: null })
    await putLive(sql, gateway, 'ada', '')
    const who = { ...demo.rules[0]!.who, groups: [], networks: [], macs: [], devices: ['hall-radio'] }
    const form = { effect: 'block' as const, who, from: null, until: null, lasts: null, note: '' }
    const id = await makeOverride(sql, form, 'ada')
    const [made] = (await readLive(sql)).policy.overrides
    expect(made).toMatchObject({ id, effect: 'block', who, until: null, note: '' })
    // What is now is said by the server: nothing is written into the past, whatever a browser's clock says.
    expect(Math.abs(readInstant(made!.from)! - Date.now() / 1000)).toBeLessThan(5)
    const early = await makeOverride(sql, { ...form, from: '2020-01-01T00:00:00Z', lasts: 1800 }, 'ada')
    const late = (await readLive(sql)).policy.overrides.find((one) => one.id === early)!
    expect([
      readInstant(late.from)! >= readInstant(made!.from)!,
      readInstant(late.until!)! - readInstant(late.from)!,
    ]).toEqual([true, 1800])
    for (const until of ['2020-01-01T00:00:00Z', '2026-01-01T00:00:00Z'])
      await expect(makeOverride(sql, { ...form, until }, 'ada')).rejects.toMatchObject({
        code: 'not-possible',
        faults: [{ path: 'until' }],
      })
    await expect(
      makeOverride(sql, { ...form, from: '2098-01-02T00:00:00Z', until: '2098-01-01T00:00:00Z' }, 'ada'),
    ).rejects.toMatchObject({ code: 'not-possible' })
    await endOverride(sql, early, 'ada')
    await expect(
      makeOverride(sql, { ...form, who: { ...who, devices: ['gone'] } }, 'ada'),
    ).rejects.toMatchObject({ code: 'unknown-part' })
    await expect(putLive(sql, gateway, 'ada', '')).rejects.toMatchObject({ code: 'nothing-to-put-live' })
    await changeOverride(sql, id, '2099-01-01T00:00:00Z', 'marta')
    expect((await readLive(sql)).policy.overrides[0]!.until).toBe('2099-01-01T00:00:00Z')
    await expect(changeOverride(sql, id, '2026-01-01T00:00:00Z', 'marta')).rejects.toMatchObject({
      code: 'not-possible',
      faults: [{ path: 'until' }],
    })
    await expect(changeOverride(sql, 'gone', null, 'marta')).rejects.toMatchObject({ code: 'not-found' })
    const [one, other] = await Promise.all([makeOverride(sql, form, 'ada'), makeOverride(sql, form, 'ben')])
    expect(one).not.toBe(other)
    await endOverride(sql, id, 'tomas')
    await expect(endOverride(sql, id, 'tomas')).rejects.toMatchObject({ code: 'not-found' })
  })
})

test('a guest pass allows the next unknown device on its network, once, and nobody who was there before', async () => {
  await setUp(sql, 'ada', 'a long password')
  await fillDraft(sql, demo)
  const document = canonicalText(demo)
  await addRevision(sql, { digest: digestOfText(document), document, author: 'ada', note: '' })
  const guest = (last: number, on = 'br-guest'): Sighting => ({
    mac: `02:5e:77:00:00:0${last}`,
    hostName: `guest-${last}`,
    addresses: [],
    interface: on,
    medium: 'wifi',
    connected: true,
    firstSeen: `2026-11-28T10:00:0${last}Z`,
    lastSeen: '2026-11-28T10:01:00Z',
  })
  await saveSightings(sql, [guest(1), guest(2, 'br-lan')])
  const wifi = { name: 'Bindery guests', key: 'glue-pot-7' }
  const make = (network: string | null, lasts: number) =>
    makeGuestPass(sql, { network, lasts, wifi: network === null ? null : wifi }, 'ada')
  await expect(make('cellar', 60)).rejects.toMatchObject({ code: 'unknown-part' })
  const [first, second] = [await make('guest', 3600), await make('guest', 7200)]
  const given = async () =>
    (await readLive(sql)).policy.overrides.map(({ effect, who, from, until }) => [
      effect,
      who.macs,
      readInstant(until!)! - readInstant(from)!,
    ])
  const known = { ...guest(9), mac: demo.devices[0]!.adapters[0]!.mac }
  // Who was there, who is known, and who is elsewhere is no guest.
  await useGuestPasses(sql, [guest(1), known, guest(2, 'br-lan'), guest(3, 'br-lan')])
  expect(await given()).toEqual([])
  await useGuestPasses(sql, [guest(5), guest(4), guest(1)])
  await useGuestPasses(sql, [guest(6), guest(5), guest(4), guest(1)])
  expect(await given()).toEqual([
    ['allow', [guest(4).mac], 3600],
    ['allow', [guest(5).mac], 7200],
  ])
  const { passes, wifi: told } = await guestPasses(sql)
  expect(passes.map(({ id, usedBy }) => [id, usedBy]).sort()).toEqual(
    [
      [first, guest(4).mac],
      [second, guest(5).mac],
    ].sort(),
  )
  expect(told).toEqual({ guest: wifi })
  await expect(endGuestPass(sql, first)).rejects.toMatchObject({ code: 'not-found' })
  // One that was ended or has waited too long is for nobody.
  await endGuestPass(sql, await make(null, 60))
  const late = await make(null, 60)
  await sql.query('update guest_pass set until_at = now() where id = $1', [late])
  await useGuestPasses(sql, [guest(7)])
  expect(await given()).toHaveLength(2)
})

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

test('the maker of an address is found by its longest prefix, and none is made up', async () => {
  // 36 bits, 28 bits, and the 24 bits that stand above each; then an address of one's own making.
  const [long, middle, aboveLong, aboveMiddle, local] = await Promise.all(
    [
      '00:1b:c5:00:00:01',
      '00:55:da:00:00:01',
      '00:1b:c5:ff:ff:ff',
      '00:55:da:ff:ff:ff',
      '02:1b:c5:00:00:01',
    ].map(makerOf),
  )
  expect([long, middle, aboveLong, aboveMiddle].map((maker) => typeof maker)).toEqual([
    'string',
    'string',
    'string',
    'string',
  ])
  expect([long === aboveLong, middle === aboveMiddle, local]).toEqual([false, false, null])
})

test('docs/errors.md is the table of errors', () => {
  const documented = [
    ...readFileSync(new URL('../../docs/errors.md', import.meta.url), 'utf8').matchAll(
      /^\| `([^`]+)` \| (\d+) \| (.+) \|$/gm,
    ),
  ].map(([, code, status, words]) => [code, { status: Number(status), words }])
  expect(Object.fromEntries(documented)).toEqual(ERRORS)
})

test('a route is open only by method and whole path', () => {
  expect(
    [
      ['GET', '/sign-in'],
      ['HEAD', '/sign-in'],
      ['POST', '/api/session'],
      ['GET', '/_nuxt/a.js'],
    ].map(([method, path]) => isOpen(method!, path!)),
  ).toEqual([true, true, true, true])
  expect(
    [
      ['POST', '/sign-in'],
      ['DELETE', '/api/session'],
      ['GET', '/sign-in/x'],
      ['GET', '/api/draft'],
      ['GET', '/'],
      ['POST', '/_nuxt/a.js'],
      ['GET', '/_nuxt'],
    ].map(([method, path]) => isOpen(method!, path!)),
  ).toEqual(Array(7).fill(false))
})
