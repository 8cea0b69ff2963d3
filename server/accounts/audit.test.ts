import Papa from 'papaparse'
import { afterAll, beforeEach, expect, test } from 'vitest'
import { startGateway, type GatewayProgram } from '../../gateway/program/gateway.ts'
import { simulatedPlane } from '../../gateway/planes/simulated/plane.ts'
import { FIRST_SETTINGS } from '../../protocol/gateway/settings.ts'
import { auditForm } from '../../protocol/forms.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { cameFrom } from '../../tests/support/came-from.ts'
import { addEntry } from './audit-sql.ts'
import { actingAs, type Database, type Sql } from '../database/database.ts'
import { demoDocument } from '../demo/policy.ts'
import { auditAnswer, auditFile, keepFor } from './audit.ts'
import { changeDevices, putDevice } from '../draft/draft-devices.ts'
import { putRule, putSchedule } from '../draft/draft.ts'
import { fillDraft, nextSteps, takeStep } from '../draft/edit.ts'
import { setGateway } from '../gateways/gateway-settings.ts'
import { endOverride, makeOverride } from '../live/overrides.ts'
import { putLive } from '../live/apply.ts'
import { onlyFor } from '../live/override-who.ts'
import { setUp, signIn } from './sign-in.ts'
import { clearAway } from '../places/upkeep.ts'
import { emptyDatabase } from '../../tests/support/database.ts'

const demo = policyOf(demoDocument('2026-11-28'))
let sql: Database, gateway: GatewayProgram
beforeEach(async () => {
  sql = await emptyDatabase(sql)
  await setUp(sql, 'ada', 'a long password')
  await fillDraft(sql, demo)
  gateway ??= await startGateway(simulatedPlane([], { timeZone: 'UTC', seed: 1 }), { folder: null })
})
afterAll(async () => {
  await gateway.stop()
  await sql.close()
})

const by = <T>(account: string, work: (sql: Sql) => Promise<T>) =>
  work(actingAs({ account, address: '192.0.2.7' }, sql))
const search = (more: object = {}) => auditForm.cast(more)
const entries = async (more?: object) => (await auditAnswer(sql, search(more))).entries
const lines = async (more?: object) =>
  (await entries(more)).map(({ account, kind, words }) => `${account} ${kind}: ${words}`)

test('settings of the gateway are told as the page calls them, devices by their names', async () => {
  const [device] = demo.devices
  const lookups = { kept: true, days: 7, exempt: [device!.id] }
  await by('ada', async (sql) => {
    await setGateway(sql, gateway, FIRST_SETTINGS)
    await setGateway(sql, gateway, { ...FIRST_SETTINGS, page: { shown: true, words: 'Ask us.' }, lookups })
  })
  expect((await entries()).slice(0, 2).map(({ words }) => words)).toEqual([
    [
      'Page that explains the block: not shown → shown',
      'Message on that page: none → “Ask us.”',
      'DNS look-ups: stored for 14 days → stored for 7 days',
      `Devices whose look-ups are not stored: none → ${device!.name}`,
    ].join('\n'),
    'Gateway settings saved unchanged',
  ])
  await gateway.set(FIRST_SETTINGS)
})

test('what somebody does stands in the log in words, old → new, with who and from where', async () => {
  const rule = demo.rules.find(({ id }) => id === 'quiet-bench')!
  const { id: _, ...form } = rule
  await by('ada', (sql) =>
    putRule(sql, rule.id, { ...form, name: 'Bench quiet', who: { ...form.who, groups: ['office'] } }),
  )
  await by('ben', (sql) =>
    putSchedule(sql, null, { name: 'Nap', week: 'Mo-Fr 13:00-14:00', exceptions: [], note: '' }),
  )
  await by('ben', (sql) => putLive(sql, gateway, 'ben', { note: 'for the autumn' }))
  const id = await by('ada', (sql) =>
    makeOverride(
      sql,
      {
        effect: 'block',
        who: onlyFor({ device: 'hall-radio' }),
        note: '',
        from: null,
        until: null,
        lasts: 600,
      },
      'ada',
    ),
  )
  await by('ben', (sql) => endOverride(sql, id, 'ben'))
  await signIn(sql, 'ada', 'wrong', cameFrom('192.0.2.8')).catch(() => {})
  await signIn(sql, 'my password by mistake', 'ada', cameFrom('192.0.2.8')).catch(() => {})
  await signIn(sql, 'ada', 'a long password', cameFrom('192.0.2.9'))
  const said = await lines()
  expect(said).toEqual([
    'ada sign-in: Signed in',
    'null sign-in: Sign-in with an unknown name',
    'null sign-in: Wrong password for ada',
    expect.stringMatching(/^ben override: Ended: Blocked: Hall radio, /) as unknown,
    expect.stringMatching(/^ada override: Blocked: Hall radio, \d{4}-\d\d-\d\d \d\d:\d\d until /) as unknown,
    'ben apply: Revision 1 applied: for the autumn',
    'ben edit: Schedule “Nap” is new',
    expect.stringContaining(
      'ada edit: Rule “Bench quiet” name: Quiet bench → Bench quiet\nRule “Bench quiet” applies to: ',
    ) as unknown,
  ])
  expect(said.at(-1)).toMatch(/applies to: .+ → Office/)
  expect(JSON.stringify(await entries())).not.toContain('my password')
  expect((await entries({ text: 'nap' }))[0]).toMatchObject({ account: 'ben', address: '192.0.2.7' })
  expect(await lines({ text: '192.0.2.9' })).toEqual(['ada sign-in: Signed in'])
  expect((await lines({ kind: 'edit', account: 'ada' })).length).toBe(1)
  expect(await lines({ text: '100%' })).toEqual([])
  expect(await lines({ from: '2999-01-01T00:00:00Z' })).toEqual([])
})

test('one undoes one’s own edits; another’s only after being asked, by name', async () => {
  const { id: _, ...radio } = demo.devices.find(({ id }) => id === 'hall-radio')!
  const rename = (account: string, name: string) =>
    by(account, (sql) => putDevice(sql, 'hall-radio', { ...radio, name }))
  await rename('ada', 'Hall wireless')
  await rename('ben', 'Hall set')
  const { undo } = await nextSteps(sql)
  await expect(by('ada', (sql) => takeStep(sql, 'undo', undo!))).rejects.toMatchObject({
    code: 'others-edit',
    message: expect.stringContaining(
      'It was made by ben: Device “Hall set” name: Hall wireless → Hall set.',
    ) as unknown,
  })
  expect((await nextSteps(sql)).undo).toBe(undo)
  await by('ada', (sql) => takeStep(sql, 'undo', undo!, true))
  await by('ada', (sql) => takeStep(sql, 'redo', undo!, true))
  await by('ben', (sql) => takeStep(sql, 'undo', undo!))
  await by('ada', async (sql) => takeStep(sql, 'undo', (await nextSteps(sql)).undo!))
  expect((await lines({ kind: 'edit' })).slice(0, 4)).toEqual([
    'ada edit: Undone: Device “Hall wireless” name: Hall radio → Hall wireless',
    'ben edit: Undone: Device “Hall set” name: Hall wireless → Hall set',
    'ada edit: Done again (an edit by ben): Device “Hall set” name: Hall wireless → Hall set',
    'ada edit: Undone (an edit by ben): Device “Hall set” name: Hall wireless → Hall set',
  ])
})

test('a refused edit leaves no entry, and one that changes hundreds a short one', async () => {
  await by('ada', (sql) =>
    putSchedule(sql, 'gone', { name: 'X', week: '24/7', exceptions: [], note: '' }),
  ).catch(() => {})
  expect(await entries()).toEqual([])
  const edits = Array.from({ length: 400 }, (_, index) => ({
    id: null,
    device: { name: `Bulk ${index}`, kind: 'other', adapters: [], shielded: false, note: '' },
    groups: null,
  }))
  await by('ada', (sql) => changeDevices(sql, { edits, takeOut: [] } as never))
  const [entry] = await entries()
  expect(entry!.words.length).toBeLessThan(4100)
})

test('the log is kept as long as one says, and exported whole, with nothing that a spreadsheet would run', async () => {
  const nobody = { account: 'ada', address: '' }
  await addEntry(sql, { ...nobody, kind: 'edit', words: '=1+1' })
  for (let index = 0; index < 450; index++)
    await addEntry(sql, { ...nobody, kind: 'edit', words: `edit ${index}` })
  const first = await auditAnswer(sql, search())
  expect([first.entries.length, first.more, first.days]).toEqual([200, true, 365])
  const last = await auditAnswer(sql, search({ before: first.entries.at(-1)!.number }))
  expect([last.entries.length, last.entries[0]!.words]).toEqual([200, 'edit 249'])
  let csv = ''
  for await (const part of auditFile(sql, search({ kind: 'edit' }))) csv += part
  const { data } = Papa.parse<string[]>(csv.trim())
  expect([data.length, data[0], data.at(-1)!.slice(1)]).toEqual([
    452,
    ['time', 'who', 'address', 'kind', 'what'],
    ['ada', '', 'edit', "'=1+1"],
  ])
  await sql.query(`update audit set at = now() - interval '40 days' where words like 'edit 1%'`)
  await keepFor(sql, 30)
  await clearAway(sql)
  expect((await lines({ text: 'edit 1' })).length).toBe(0)
  expect((await lines({ text: 'edit 2' })).length).toBe(111)
  expect((await lines())[0]).toBe('console settings: Audit log kept for 30 days')
})
