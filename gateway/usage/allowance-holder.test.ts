import { mkdtemp, readFile, rm, symlink, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, test } from 'vitest'
import type { Device } from '../../core/policy/types.ts'
import { proposalOf } from '../../protocol/gateway/proposal.ts'
import { FIRST_SETTINGS } from '../../protocol/gateway/settings.ts'
import { instantText } from '../../core/time/instant.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import type { GatewayProgram } from '../program/gateway.ts'
import { startSimulatedGateway } from '../simulation/simulated-gateway.ts'
import { simulatedPlane } from '../planes/simulated/plane.ts'
import { WORKSHOP } from '../planes/simulated/workshop.ts'

// A device, and a site of which some kB pass at a time.
const [MAC, SITE] = ['02:5e:10:00:00:14', 'https://quillpost.example']
/** Nobody sends but who is made to. */
const QUIET = WORKSHOP.map((device) => ({ ...device, activity: 0 }))
// A program that starts anew reads the machine's clock.
const START = Math.floor(Date.now() / 60_000) * 60
/** The begin of the day of the allowance: not while this runs. */
const BEGINS = `${String((new Date().getUTCHours() + 12) % 24).padStart(2, '0')}:30`
const policyWith = (more: object[] = []) =>
  policyOf({
    kairostat: 1,
    place: { name: 'Bindery', timeZone: 'Europe/Lisbon' },
    devices: [{ id: 'phone', name: 'Phone', adapters: [{ mac: MAC, medium: 'wifi' }] }],
    rules: [
      {
        id: 'ration',
        name: 'Ration',
        effect: 'block',
        who: { devices: ['phone'] },
        what: { internet: true },
        when: { always: true },
        after: { minutes: 3, per: 'day', from: BEGINS },
      },
    ],
    overrides: more,
  })

let folder: string
let gateway: GatewayProgram
const faults: string[] = []
const start = async () => {
  faults.length = 0
  gateway = await startSimulatedGateway(simulatedPlane(QUIET, { timeZone: 'Europe/Lisbon', seed: 1 }), {
    folder,
    fault: (error, doing) => faults.push(`${doing}: ${(error as Error).message}`),
  })
}
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'kairostat-allowances-'))
  await start()
  await gateway.set({ ...FIRST_SETTINGS, usage: { ...FIRST_SETTINGS.usage, kilobytes: 1 } })
})
afterEach(async () => {
  await gateway.stop().catch(() => {})
  await rm(folder, { recursive: true, force: true })
})

const setClock = async (at: number) => (await gateway.simulation()).setClock(instantText(at))
/** Sends in each of some minutes from an instant (seconds) on. */
async function use(from: number, minutes: number) {
  const simulation = await gateway.simulation()
  for (let minute = 0; minute < minutes; minute++) {
    await setClock(from + minute * 60)
    await simulation.send(MAC, SITE)
  }
  await setClock(from + minutes * 60)
}
const stateAt = async (at: number) => (await gateway.decision(MAC, instantText(at)))!.state
const diskAlarms = async () => (await gateway.status()).alarms.filter(({ kind }) => kind === 'disk').length

test('what is used up is enforced, told once, and goes on after a restart', async () => {
  await setClock(START)
  await gateway.enforce(proposalOf(policyWith()))
  const { digest } = await gateway.status()
  const changes: string[] = []
  const stop = new AbortController()
  const watching = gateway.watch((change) => changes.push(change), stop.signal)
  await use(START, 3)
  stop.abort()
  await watching
  expect(changes).toContain('allowances')
  const end = START + 180
  expect([await stateAt(end - 1), await stateAt(end), (await gateway.status()).digest]).toEqual([
    'open',
    'cut-off',
    digest,
  ])
  expect(await gateway.allowances(null)).toMatchObject({
    uses: [{ rule: 'ration', device: 'phone', used: 3, limit: 3 }],
    spent: [{ rule: 'ration', device: 'phone', mac: null, from: instantText(end) }],
  })
  await gateway.stop()
  await start()
  await setClock(end + 60)
  expect([await stateAt(end + 60), await stateAt(end + 86_400)]).toEqual(['cut-off', 'open'])
  // More opens it at once, and a document cannot say itself what was used up.
  const more = { effect: 'allow', who: { devices: ['phone'] }, more: { minutes: 5 }, until: null }
  const next = policyWith([{ ...more, id: 'more', from: instantText(end + 30) }])
  expect(await gateway.enforce(proposalOf({ ...next, spent: [] }))).toBeNull()
  expect(await stateAt(end + 61)).toBe('open')
})

test('more that begins a moment later opens it then, and ends to the second, without waiting for the next look', async () => {
  await setClock(START)
  await gateway.enforce(proposalOf(policyWith()))
  await use(START, 3)
  const [begin, end] = [START + 185, START + 188]
  const times = { from: instantText(begin), until: instantText(end) }
  const more = { id: 'more', effect: 'allow', who: { devices: ['phone'] }, more: { minutes: 5 }, ...times }
  expect(await gateway.enforce(proposalOf(policyWith([more])))).toBeNull()
  await expect
    .poll(async () => (await gateway.allowances(null)).spent.map(({ from, until }) => [from, until]), {
      timeout: 15_000,
    })
    .toEqual([
      [instantText(START + 180), instantText(begin)],
      [instantText(end), expect.any(String)],
    ])
}, 20_000)

test('a device or a rule that goes takes nothing along: the others are still counted and enforced', async () => {
  await setClock(START)
  const policy = policyWith()
  const [phone] = policy.devices
  const other: Device = {
    ...phone!,
    id: 'other',
    adapters: [{ mac: '02:5e:10:00:00:03', medium: 'wifi' }],
  }
  const both = (devices: Device[]) => ({
    ...policy,
    devices,
    rules: policy.rules.map((rule) => ({ ...rule, who: { ...rule.who, everyone: true, devices: [] } })),
  })
  await gateway.enforce(proposalOf(both([phone!, other])))
  await use(START, 3)
  expect(await stateAt(START + 180)).toBe('cut-off')
  // Whoever is deleted is an unknown device, which has used nothing.
  expect(await gateway.enforce(proposalOf(both([other])))).toBeNull()
  await use(START + 240, 2)
  expect([await stateAt(START + 300), faults]).toEqual(['open', []])
  expect((await gateway.allowances(null)).uses).toMatchObject([{ device: null, mac: MAC, used: 2 }])
  await use(START + 360, 1)
  expect([await stateAt(START + 420), faults]).toEqual(['cut-off', []])
  expect(await gateway.enforce(proposalOf({ ...both([other]), rules: [] }))).toBeNull()
  expect([await stateAt(START + 430), faults]).toEqual(['open', []])
})

test('a full disk is an alarm, and opens nobody', async () => {
  await setClock(START)
  await gateway.enforce(proposalOf(policyWith()))
  await symlink('/dev/full', join(folder, 'allowances.json.new'))
  await use(START, 3)
  expect([await stateAt(START + 180), await diskAlarms()]).toEqual(['cut-off', 1])
  expect(faults[0]).toContain('the disk is full')
  await rm(join(folder, 'allowances.json.new'))
  await setClock(START + 200)
  expect(await diskAlarms()).toBe(0)
  expect(await readFile(join(folder, 'allowances.json'), 'utf8')).toContain('"used":3')
})

test.each([
  ['cut short', '{"pools":[{"rule":"rat'],
  ['of another kind', '{"pools":[{"rule":1}],"past":[]}'],
  [
    'with a use that is none',
    '{"pools":[],"past":[{"rule":"a","device":null,"mac":null,"from":"x","until":1}]}',
  ],
])('a file that is %s takes allowances for used up, and says so', async (_, text) => {
  await setClock(START)
  await gateway.enforce(proposalOf(policyWith()))
  await gateway.stop()
  await writeFile(join(folder, 'allowances.json'), text)
  await start()
  const now = Math.floor(Date.now() / 1000)
  const [alarm] = (await gateway.status()).alarms.filter(({ kind }) => kind === 'state')
  expect([alarm?.about, await stateAt(now + 1)]).toEqual([
    expect.stringContaining('Allowances are taken for used up until their day or week ends'),
    'cut-off',
  ])
  // So it stays while that is so, though the file was written anew; without allowances nothing is unsure.
  const alarms = async () => (await gateway.status()).alarms.filter(({ kind }) => kind === 'state').length
  await setClock(now + 20)
  await setClock(now + 40)
  expect(await alarms()).toBe(1)
  await gateway.enforce(proposalOf({ ...policyWith(), rules: [] }))
  expect([await alarms(), await stateAt(now + 60)]).toEqual([0, 'open'])
})
