import { appendFile, mkdir, mkdtemp, readFile, rm, symlink, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { afterEach, beforeEach, expect, test } from 'vitest'
import { canonicalText, digestOf } from '../../core/policy/canonical.ts'
import { GatewayFailure } from '../../protocol/gateway/gateway.ts'
import { proposalOf } from '../../protocol/gateway/proposal.ts'
import { FIRST_SETTINGS } from '../../protocol/gateway/settings.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import type { GatewayProgram } from './gateway.ts'
import { startSimulatedGateway } from '../simulation/simulated-gateway.ts'
import { rowStore } from '../state/row-store.ts'
import { simulatedPlane } from '../planes/simulated/plane.ts'
import { WORKSHOP } from '../planes/simulated/workshop.ts'

const [BLOCKED, FREE, UNKNOWN] = ['02:5e:00:00:00:0a', '02:5e:00:00:00:0b', '02:5e:00:00:00:0c']
const policyOfDays = (days: string) =>
  policyOf({
    kairostat: 1,
    place: { name: 'Bindery', timeZone: 'Europe/Lisbon' },
    devices: [
      { id: 'blocked', name: 'Blocked', adapters: [{ mac: BLOCKED, medium: 'wifi' }] },
      { id: 'free', name: 'Free', adapters: [{ mac: FREE, medium: 'wifi' }] },
    ],
    schedules: [{ id: 'days', name: 'Days', week: days }],
    rules: [
      {
        id: 'off',
        name: 'Off',
        effect: 'block',
        who: { devices: ['blocked'] },
        what: { internet: true },
        when: { schedules: ['days'] },
      },
    ],
  })
const policy = policyOfDays('Mo-Su 00:00-24:00')
const override = {
  id: 'o',
  effect: 'block',
  who: { devices: ['free'] },
  from: '2026-11-23T08:00:00Z',
  until: null,
}
/** The policy with the override. */
const amended = policyOf({ ...JSON.parse(canonicalText(policy)), overrides: [override] })

let folder: string
let gateway: GatewayProgram
const faults: string[] = []
const start = async () => {
  faults.length = 0
  gateway = await startSimulatedGateway(simulatedPlane(WORKSHOP, { timeZone: 'Europe/Lisbon', seed: 1 }), {
    folder,
    fault: (error, doing) => faults.push(`${doing}: ${(error as Error).message}`),
  })
}
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'kairostat-state-'))
  await start()
})
afterEach(async () => {
  await gateway.stop().catch(() => {})
  await rm(folder, { recursive: true, force: true })
})

const stateOf = async (mac: string) => (await gateway.decision(mac, '2026-11-25T12:00:00Z'))?.state ?? 'none'
const stateAlarms = async () =>
  (await gateway.status()).alarms.flatMap(({ kind, about }) => (kind === 'state' ? [about] : []))

/** Damages one file of the state folder while nobody runs on it. */
async function damage(name: string, how: (file: string) => Promise<unknown>) {
  await gateway.enforce(proposalOf(policy))
  await gateway.set({ ...FIRST_SETTINGS, closedAddresses: true })
  await gateway.stop()
  await how(join(folder, name))
  await start()
}

test.each<[what: string, file: string, how: (file: string) => Promise<unknown>]>([
  ['cut off', 'policy.json', (file) => writeFile(file, canonicalText(policy).slice(0, -20))],
  ['empty', 'policy.json', (file) => writeFile(file, '')],
  ['another document', 'policy.json', (file) => writeFile(file, '{"kairostat":2}')],
  ['gone', 'policy.json', (file) => rm(file)],
  ['a folder', 'policy.json', (file) => rm(file).then(() => mkdir(file))],
])('a policy on disk that is %s is an alarm, and nobody is open who was not', async (_, file, how) => {
  await damage(file, how)
  expect(await stateAlarms()).toEqual([expect.stringContaining('Apply the policy again') as unknown])
  expect(faults.length).toBe(1)
  expect((await gateway.status()).digest).toBeNull()
  // The substitute policy is the gateway's own; tries show it.
  const simulation = await gateway.simulation()
  const effects = await Promise.all(
    [BLOCKED, FREE, UNKNOWN].map(
      async (mac) => (await simulation.send(mac, 'tcp://203.0.113.10:443')).effect,
    ),
  )
  expect(effects).toEqual(['block', 'allow', 'allow'])
  // Another policy ends the alarm, where its file can be written.
  await rm(join(folder, file), { recursive: true, force: true })
  expect(await gateway.enforce(proposalOf(policy))).toBeNull()
  expect([await stateAlarms(), await stateOf(BLOCKED), await stateOf(FREE)]).toEqual([[], 'cut-off', 'open'])
})

test('without what was known of who is open, everybody is blocked', async () => {
  await damage('policy.json', async (file) => {
    await writeFile(file, 'x')
    await writeFile(join(folder, 'known-open.json'), '{"newcomers":true,"open":["no address"]}')
  })
  const simulation = await gateway.simulation()
  expect((await simulation.send(FREE, 'tcp://203.0.113.10:443')).effect).toBe('block')
})

test.each<[what: string, text: string]>([
  ['cut off', '{"closedAddresses":tr'],
  ['of another kind', '[1, 2]'],
])('settings on disk that are %s are begun anew, and the policy stays', async (_, text) => {
  await damage('settings.json', (file) => writeFile(file, text))
  expect([(await gateway.status()).settings, await stateOf(BLOCKED)]).toEqual([FIRST_SETTINGS, 'cut-off'])
  expect(await stateAlarms()).toEqual([expect.stringContaining('settings.json') as unknown])
  expect(await gateway.set(FIRST_SETTINGS)).toBeNull()
  expect(await stateAlarms()).toEqual([])
})

test('damaged lines of the look-ups are left out, and told', async () => {
  await damage('lookups.jsonl', (file) => appendFile(file, '["02:5e\n{}\n'))
  expect(await stateAlarms()).toEqual([expect.stringContaining('has 2 damaged lines') as unknown])
  expect((await gateway.lookups(null)).length).toBeGreaterThan(100)
})

test('on a full disk a policy and overrides fail, to be sent again, settings are refused, and what was in force still is', async () => {
  await gateway.enforce(proposalOf(policy))
  const before = await gateway.status()
  // Writing there fails as on a disk without space (full(4)).
  for (const name of ['policy.json', 'settings.json']) await symlink('/dev/full', join(folder, `${name}.new`))
  const next = policyOfDays('Mo-Fr 00:00-24:00')
  const full = [{ path: '', message: expect.stringContaining('the disk is full') as unknown }]
  const isFull = {
    constructor: GatewayFailure,
    message: expect.stringContaining('the disk is full') as unknown,
  }
  await expect(gateway.enforce(proposalOf(next))).rejects.toMatchObject(isFull)
  await expect(gateway.amend([override], digestOf(amended))).rejects.toMatchObject(isFull)
  expect(await gateway.set({ ...FIRST_SETTINGS, closedAddresses: true })).toEqual(full)
  const { digest, settings } = await gateway.status()
  expect([digest, settings]).toEqual([before.digest, before.settings])
  await gateway.stop()
  await start()
  expect([(await gateway.status()).digest, await stateAlarms()]).toEqual([before.digest, []])
})

test('what is said to be live since then stays so with overrides and after a restart', async () => {
  await gateway.enforce(proposalOf(policy))
  const { inForceSince } = await gateway.status()
  await pause(1100)
  expect(await gateway.amend([override], digestOf(amended))).toBeNull()
  expect((await gateway.status()).inForceSince).toBe(inForceSince)
  await gateway.stop()
  await start()
  const { digest, inForceSince: after } = await gateway.status()
  expect([digest, after]).toEqual([digestOf(amended), inForceSince])
})

test('rows that could not be written are written with the next ones, and none is a part of another', async () => {
  const file = join(folder, 'rows.jsonl')
  let [all, changed] = [
    ['a', 'b'],
    ['a', 'b'],
  ]
  const rows = {
    all: () => all,
    changes: () => changed.splice(0),
    size: () => all.length,
    restore: (found: readonly string[]) => void (all = [...found]),
  }
  const format = {
    write: (row: string) => [row],
    read: ([row]: readonly unknown[]) => String(row),
    keyOf: (row: string) => row,
    orderOf: (row: string) => row,
  }
  const store = rowStore(file, rows, format)
  await symlink('/dev/full', file)
  await expect(store.write()).rejects.toThrow('the disk is full')
  await rm(file)
  // A part of a line, as a full disk leaves it.
  await writeFile(file, '["a')
  all.push('c')
  changed = ['c']
  await store.write()
  expect(await readFile(file, 'utf8')).toBe('["a"]\n["b"]\n["c"]\n')
})

test('settings that tell to forget what cannot be forgotten are refused, now and after a new start', async () => {
  await symlink('/dev/full', join(folder, 'lookups.jsonl.new'))
  expect(await gateway.set({ ...FIRST_SETTINGS, lookups: { kept: false, days: 1, exempt: [] } })).toEqual([
    { path: '', message: expect.stringContaining('nothing changed') as unknown },
  ])
  expect((await gateway.status()).settings).toEqual(FIRST_SETTINGS)
  await rm(join(folder, 'lookups.jsonl.new'))
  await gateway.stop()
  await start()
  expect((await gateway.status()).settings).toEqual(FIRST_SETTINGS)
})

test('a policy whose file cannot take its place fails, and the one before stays in force', async () => {
  await gateway.enforce(proposalOf(policy))
  const { digest } = await gateway.status()
  await rm(join(folder, 'policy.json'))
  await mkdir(join(folder, 'policy.json'))
  await expect(gateway.enforce(proposalOf(policyOfDays('Mo-Su 00:00-00:01')))).rejects.toThrow(
    'it is a folder; remove that',
  )
  expect([(await gateway.status()).digest, await stateOf(BLOCKED)]).toEqual([digest, 'cut-off'])
})

test('of many that write at once the last one asked for counts, in memory and on disk', async () => {
  const policies = Array.from({ length: 12 }, (_, hour) =>
    policyOfDays(`Mo-Su ${String(hour).padStart(2, '0')}:00-24:00`),
  )
  const refusals = await Promise.all([
    ...policies.map((one) => gateway.enforce(proposalOf(one))),
    ...[3, 4, 5].map((days) => gateway.set({ ...FIRST_SETTINGS, lookups: { kept: true, days, exempt: [] } })),
  ])
  expect(refusals.filter((refusal) => refusal !== null)).toEqual([])
  const last = policies.at(-1)!
  const { digest, settings } = await gateway.status()
  expect([digest, settings.lookups.days]).toEqual([digestOf(last), 5])
  expect(await readFile(join(folder, 'policy.json'), 'utf8')).toBe(canonicalText(last))
  expect(JSON.parse(await readFile(join(folder, 'settings.json'), 'utf8'))).toEqual(settings)
})
