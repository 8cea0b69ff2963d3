import { afterEach, expect, test } from 'vitest'
import type { Rule } from '../../core/policy/types.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { testDatabase, withSecondRuns } from '../../tests/support/database.ts'
import { demoDocument } from '../demo/policy.ts'
import type { Database, Sql } from './database.ts'
import { migrate } from './migrate.ts'
import { auditAnswer } from '../accounts/audit.ts'
import {
  changeApps,
  changeRules,
  putGroup,
  putRule,
  readDraft,
  removeEntry,
  sortRules,
  takeIntoDraft,
} from '../draft/draft.ts'
import { changeDevices, putDevice } from '../draft/draft-devices.ts'
import { fillDraft, takeStep } from '../draft/edit.ts'
import { endOverride, makeOverride } from '../live/overrides.ts'
import { putLive } from '../live/apply.ts'
import { startGateway } from '../../gateway/program/gateway.ts'
import { simulatedPlane } from '../../gateway/planes/simulated/plane.ts'

const demo = policyOf(demoDocument('2026-11-28'))
const laptop = { name: 'Laptop', kind: 'laptop', note: '', shielded: false, adapters: [] } as const
const { id: _id, ...rule } = demo.rules[0]!
const ofRule = (name: string): Omit<Rule, 'id'> => ({ ...rule, name })
const open: Database[] = []
afterEach(async () => {
  for (const sql of open.splice(0)) await sql.close()
})

async function filled(): Promise<Database> {
  const sql = await testDatabase()
  open.push(sql)
  await migrate(sql)
  await fillDraft(sql, demo)
  return sql
}

const EDITS: Readonly<Record<string, (sql: Sql) => Promise<unknown>>> = {
  'a device is added': (sql) => putDevice(sql, null, laptop),
  'devices are added, changed and deleted': (sql) =>
    changeDevices(sql, {
      edits: [laptop, laptop].map((device) => ({
        id: null,
        device,
        groups: ['Press room', 'New ones'],
        mark: null,
      })),
      takeOut: [{ id: demo.devices[0]!.id, instead: null }],
    }),
  'a group is added': (sql) =>
    putGroup(sql, null, { name: 'Two', person: false, note: '', members: [demo.devices[1]!.id] }),
  'a rule is added': (sql) => putRule(sql, null, ofRule('Laptop')),
  'rules are added and deleted': (sql) =>
    changeRules(sql, {
      edits: ['One', 'One'].map((name) => ({ id: null, rule: ofRule(name), mark: null })),
      takeOut: [demo.rules[1]!.id],
    }),
  'apps are added': (sql) =>
    changeApps(sql, {
      edits: ['Fig', 'Fig'].map((name) => ({
        id: null,
        app: { name, category: 'games', sites: ['fig.example'], services: [], note: '' },
        mark: null,
      })),
    } as Parameters<typeof changeApps>[1]),
  'rules are sorted': async (sql) =>
    sortRules(sql, (await readDraft(sql)).rules.map(({ id }) => id).reverse()),
  'a schedule goes': (sql) => removeEntry(sql, 'schedule', demo.schedules[0]!.id, demo.schedules[1]!.id),
  'a policy is taken in': (sql) => takeIntoDraft(sql, { ...demo, rules: demo.rules.slice(2) }),
  'an edit is undone and redone': async (sql) => {
    const { step } = await putDevice(sql, null, { ...laptop, name: 'Undone' })
    await takeStep(sql, 'undo', step!)
    await takeStep(sql, 'redo', step!)
    return step
  },
  'a policy is applied, an override made and ended': async (sql) => {
    const gateway = await startGateway(simulatedPlane([], { timeZone: 'Europe/Lisbon', seed: 1 }), {
      folder: null,
    })
    const number = await putLive(sql, gateway, 'ada', { note: 'first' })
    const who = { ...demo.rules[0]!.who, macs: [], groups: [], networks: [], devices: [demo.devices[2]!.id] }
    const wish = { effect: 'allow', who, note: '', from: null, until: null, lasts: 60 } as const
    await endOverride(sql, await makeOverride(sql, wish, 'ada'), 'ada')
    await gateway.stop()
    return number
  },
}

/** The result of an edit without its number, which the database gives out once more. */
const found = (result: unknown) =>
  typeof result === 'object' && result !== null ? { ...result, step: null } : null
const words = async (sql: Sql) => {
  const search = { text: '', kind: null, account: null, from: null, until: null, before: null }
  const { entries } = await auditAnswer(sql, search)
  return entries.map((entry) => entry.words.replaceAll(/\d\d:\d\d(:\d\d)?/g, ''))
}

test('what is done twice, as where another is in the way, is done once', async () => {
  const [once, twice] = [await filled(), await filled()]
  for (const [name, edit] of Object.entries(EDITS)) {
    const results = [await edit(once), await edit(withSecondRuns(twice))].map(found)
    expect([name, results[1]]).toEqual([name, results[0]])
    expect([name, await readDraft(twice)]).toEqual([name, await readDraft(once)])
    expect([name, await words(twice)]).toEqual([name, await words(once)])
  }
})
