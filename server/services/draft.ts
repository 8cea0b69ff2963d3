import { markOf } from '../../core/policy/canonical.ts'
import { freeId } from '../../core/policy/id.ts'
import type { DeviceEdit } from '../../core/policy/parts.ts'
import type { Device, Group, Place, Policy, Rule, Schedule } from '../../core/policy/types.ts'
import { tell, type Sql } from '../sql/database.ts'
import { devices, groups, holderOf, removeDevice, removeGroup, saveDevice, saveGroup } from '../sql/device.ts'
import { apps, saveApp, saveSiteList, siteLists } from '../sql/list.ts'
import { place, savePlace } from '../sql/place.ts'
import { orderRules, removeRule, rules, rulesNaming, saveRule } from '../sql/rule.ts'
import { removeSchedule, saveSchedule, schedules } from '../sql/schedule.ts'
import { Refused } from './errors.ts'

/** The draft as a policy, without overrides, which are not part of it. Throws `not-set-up` before the place has a name. */
export async function readDraft(sql: Sql): Promise<Policy> {
  const here = await place(sql)
  if (!here) throw new Refused('not-set-up')
  return {
    kairostat: 1, place: here, devices: await devices(sql), groups: await groups(sql), schedules: await schedules(sql),
    siteLists: await siteLists(sql), apps: await apps(sql), rules: await rules(sql), overrides: [],
  }
}

/** Makes the draft hold exactly this policy (its overrides left aside). For a new database: what is there already stays beside it. */
export async function fillDraft(sql: Sql, policy: Policy): Promise<void> {
  await edit(sql, async (tx) => {
    await savePlace(tx, policy.place)
    for (const device of policy.devices) await saveDevice(tx, device)
    for (const group of policy.groups) await saveGroup(tx, group)
    for (const schedule of policy.schedules) await saveSchedule(tx, schedule)
    for (const list of policy.siteLists) await saveSiteList(tx, list)
    for (const app of policy.apps) await saveApp(tx, app)
    for (const rule of policy.rules) await saveRule(tx, rule)
  })
}

/** Changes name and time zone of the place. */
export const changePlace = (sql: Sql, changed: Place) => edit(sql, tx => savePlace(tx, changed))

/** Adds a device (`id` = null) or replaces one, with a `mark` only while it is as that says; answers its id. Throws `address-taken`, `not-found`, `changed-meanwhile`. */
export async function putDevice(sql: Sql, id: string | null, form: Omit<Device, 'id'>, mark?: string): Promise<string> {
  const [key] = await putDevices(sql, [{ id, device: form }], mark)
  return key!
}

/** Adds and replaces several devices, all or none; answers their ids. Throws `address-taken`, `not-found`. */
export function putDevices(sql: Sql, edits: readonly DeviceEdit[], mark?: string): Promise<string[]> {
  return edit(sql, async (tx) => {
    const there = [...await devices(tx)]
    const keys: string[] = []
    for (const { id, device } of edits) {
      const key = keyOf(there, id, device.name, mark)
      const holder = await holderOf(tx, device.adapters.map(({ mac }) => mac), key)
      if (holder) throw new Refused('address-taken', `${holder.mac} belongs to “${holder.name}”. Add it there, or take it from there first.`)
      await saveDevice(tx, { id: key, ...device })
      there.push({ id: key, ...device })
      keys.push(key)
    }
    return keys
  })
}

/** Adds a group (`id` = null) or replaces one, by its mark as with a device; answers its id. */
export const putGroup = (sql: Sql, id: string | null, form: Omit<Group, 'id'>, mark?: string) => put(sql, id, form, mark, groups, saveGroup)

/** Adds a schedule (`id` = null) or replaces one, by its mark as with a device; answers its id. */
export const putSchedule = (sql: Sql, id: string | null, form: Omit<Schedule, 'id'>, mark?: string) => put(sql, id, form, mark, schedules, saveSchedule)

/** Adds a rule at the end (`id` = null) or replaces one, by its mark as with a device; answers its id. */
export const putRule = (sql: Sql, id: string | null, form: Omit<Rule, 'id'>, mark?: string) => put(sql, id, form, mark, rules, saveRule)

/** Puts the rules into a new order. */
export const sortRules = (sql: Sql, ids: readonly string[]) => edit(sql, tx => orderRules(tx, ids))

/** Takes something out of the draft. Throws `not-found`, and `in-use` with the rules that name it. */
export function takeOut(sql: Sql, kind: 'device' | 'group' | 'schedule' | 'rule', id: string): Promise<void> {
  return edit(sql, async (tx) => {
    const users = kind === 'rule' ? [] : await rulesNaming(tx, kind, id)
    if (users.length > 0) throw new Refused('in-use', `It stands in ${users.map(name => `“${name}”`).join(', ')}. Take it out there first.`)
    const there = await { device: removeDevice, group: removeGroup, schedule: removeSchedule, rule: removeRule }[kind](tx, id)
    if (!there) throw new Refused('not-found', `The draft has no ${kind} “${id}”.`)
  })
}

async function put<F extends { name: string }>(sql: Sql, id: string | null, form: F, mark: string | undefined, all: (sql: Sql) => Promise<{ id: string }[]>, save: (sql: Sql, entry: F & { id: string }) => Promise<void>): Promise<string> {
  return edit(sql, async (tx) => {
    const key = keyOf(await all(tx), id, form.name, mark)
    await save(tx, { id: key, ...form })
    return key
  })
}

// The mark is that of the entry as the editor knew it: where it is another now, somebody else was quicker.
function keyOf(there: readonly { id: string }[], id: string | null, name: string, mark: string | undefined): string {
  if (id === null) return freeId(name, there.map(entry => entry.id))
  const now = there.find(entry => entry.id === id)
  if (!now) throw new Refused('not-found', `The draft has no “${id}”.`)
  if (mark !== undefined && mark !== markOf(now)) throw new Refused('changed-meanwhile')
  return id
}

// What a constraint of the tables refuses (SQLSTATE 23503, a foreign key) is something that another edit took away.
async function edit<T>(sql: Sql, change: (tx: Sql) => Promise<T>): Promise<T> {
  try {
    return await sql.transaction(async (tx) => {
      const result = await change(tx)
      await tell(tx, 'draft')
      return result
    })
  } catch (error) {
    if (error instanceof Error && 'code' in error && error.code === '23503') throw new Refused('unknown-part', String((error as { detail?: string }).detail ?? ''))
    throw error
  }
}
