import { GatewaySecret } from '../../gateway/transport/pairing.ts'
import { createServer, type Server } from 'node:http'
import { mkdtemp } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { AddressInfo } from 'node:net'
import pino from 'pino'
import { afterAll, afterEach, beforeEach, expect, test } from 'vitest'
import { entriesBetween } from '../../core/change/entries.ts'
import { canonicalText, digestOfText } from '../../core/policy/canonical.ts'
import { readInstant } from '../../core/time/instant.ts'
import { GatewayFailure, type Refusal } from '../../protocol/gateway/gateway.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { startGateway } from '../../gateway/program/gateway.ts'
import { startSimulatedGateway } from '../../gateway/simulation/simulated-gateway.ts'
import { gatewayAt } from '../../gateway/transport/http-client.ts'
import { gatewayServer } from '../../gateway/transport/http-server.ts'
import type { DataPlane } from '../../gateway/planes/plane.ts'
import { simulatedPlane } from '../../gateway/planes/simulated/plane.ts'
import { WORKSHOP } from '../../gateway/planes/simulated/workshop.ts'
import { demoDocument } from '../demo/policy.ts'
import type { Database } from '../database/database.ts'
import { addRevision, liveRevision, revisions } from './revision-sql.ts'
import { changeDevices } from '../draft/draft-devices.ts'
import { putGroup, putRule, putSchedule, readDraft, removeEntry, takeIntoDraft } from '../draft/draft.ts'
import { fillDraft, takeStep } from '../draft/edit.ts'
import { linkGateway, type GatewayLink, type LinkParts } from '../gateways/gateway-link.ts'
import { history } from './history.ts'
import { changeOverride, endOverride, makeOverride } from './overrides.ts'
import { discardChanges, putLive } from './apply.ts'
import { readLive, revisionPolicy } from './live.ts'
import { allOf } from '../../tests/support/all-of.ts'
import { emptyDatabase } from '../../tests/support/database.ts'

const silent = pino({ level: 'silent' })
const demo = policyOf(demoDocument('2026-11-28'))
let sql: Database
beforeEach(async () => {
  sql = await emptyDatabase(sql)
})
afterAll(() => sql.close())

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
  expect(await putLive(sql, gateway, 'ada', { note: 'first' })).toBe(1)
  expect((await gateway.status()).digest).toBe(before)
  linked.liveChanged()
  expect(await linked.look()).toMatchObject({
    state: 'in-force',
    status: { digest: (await readLive(sql)).digest },
  })
  await expect(putLive(sql, gateway, 'ada', { note: '' })).rejects.toMatchObject({
    code: 'nothing-to-put-live',
  })
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
  await expect(putLive(sql, gateway, 'ada', { note: '' })).rejects.toMatchObject({
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

test('a device whose address went to a new one gets it back by discarding, and undoing that gives it away again', async () => {
  await fillDraft(sql, demo)
  const gateway = await startSimulatedGateway(plane(), { folder: null })
  await putLive(sql, gateway, 'ada', { note: '' })
  const { id: screen, ...form } = demo.devices.find(({ id }) => id === 'big-screen')!
  const body = { groups: null, mark: null }
  await changeDevices(sql, { edits: [], takeOut: [{ id: screen, instead: null }] })
  await changeDevices(sql, { edits: [{ id: null, device: { ...form, name: 'Wall' }, ...body }], takeOut: [] })
  const before = await readDraft(sql)
  const { step } = await discardChanges(sql, [{ kind: 'device', id: screen }])
  const after = await readDraft(sql)
  expect([after.devices, after.rules]).toEqual([demo.devices, before.rules])
  await takeStep(sql, 'undo', step!)
  expect(await readDraft(sql)).toEqual(before)
})

test('an earlier revision is applied again, or taken into the draft to the letter', async () => {
  await fillDraft(sql, demo)
  const gateway = await startSimulatedGateway(plane(), { folder: null })
  await putLive(sql, gateway, 'ada', { note: 'first' })
  await takeIntoDraft(sql, { ...demo, devices: demo.devices.toReversed().slice(5), groups: [], rules: [] })
  await putLive(sql, gateway, 'ben', { note: 'second' })
  expect(await putLive(sql, gateway, 'ada', { note: 'back', again: 1 })).toBe(3)
  await expect(putLive(sql, gateway, 'ada', { note: 'back', again: 1 })).rejects.toMatchObject({
    code: 'nothing-to-put-live',
  })
  await expect(putLive(sql, gateway, 'ada', { note: 'back', again: 9 })).rejects.toMatchObject({
    code: 'not-found',
  })
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

test('changes are left for later or discarded one by one, with what depends on them, and discarding is undone', async () => {
  await fillDraft(sql, demo)
  const gateway = await startSimulatedGateway(plane(), { folder: null })
  await putLive(sql, gateway, 'ada', { note: '' })
  const group = await putGroup(sql, null, { name: 'Visitors', members: [], person: false, note: '' })
  const [first, second] = demo.rules
  const named = { ...second!.who, groups: [...second!.who.groups, group.id] }
  await putRule(sql, second!.id, { ...second!, who: named })
  await putRule(sql, first!.id, { ...first!, name: 'Another name' })
  await removeEntry(sql, 'rule', demo.rules.at(-1)!.id)

  // The rule stays for later with the group that it names.
  await putLive(sql, gateway, 'ada', { note: '', later: [{ kind: 'group', id: group.id }] })
  const { policy: live } = await readLive(sql)
  expect(live.groups).toEqual(demo.groups)
  expect((await revisions(sql))[0]!.changed).toEqual({ rule: 2 })
  expect(live.rules).toEqual([{ ...first!, name: 'Another name' }, ...demo.rules.slice(1, -1)])
  const waiting = () => readDraft(sql).then((draft) => entriesBetween({ ...live, overrides: [] }, draft))
  expect((await waiting()).map(({ kind, id }) => [kind, id])).toEqual([
    ['group', group.id],
    ['rule', second!.id],
  ])

  await putSchedule(sql, null, { name: 'Tea', week: '16:00-16:30', exceptions: [], note: '' })
  const { step } = await discardChanges(sql, [{ kind: 'group', id: group.id }])
  expect((await waiting()).map(({ kind, name }) => [kind, name])).toEqual([['schedule', 'Tea']])
  await takeStep(sql, 'undo', step!)
  expect(await waiting()).toHaveLength(3)
  await expect(discardChanges(sql, [])).rejects.toMatchObject({ code: 'changed-meanwhile' })
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
  await putLive(sql, remote, 'ada', { note: '' })
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
  await putLive(sql, gateway, 'ada', { note: '' })
  const who = { ...demo.rules[0]!.who, groups: [], networks: [], macs: [], devices: ['hall-radio'] }
  const form = { effect: 'block' as const, who, from: null, until: null, lasts: null, note: '' }
  const id = await makeOverride(sql, form, 'ada')
  const [made] = (await readLive(sql)).policy.overrides
  expect(made).toMatchObject({ id, effect: 'block', who, until: null, note: '' })
  // The server's clock says what is now: nothing is written into the past, whatever a browser's clock says.
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
  await expect(putLive(sql, gateway, 'ada', { note: '' })).rejects.toMatchObject({
    code: 'nothing-to-put-live',
  })
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
