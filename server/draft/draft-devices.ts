import { entryCalled, freeId } from '../../core/policy/id.ts'
import type { DeviceEdit, DeviceEdits } from '../../protocol/edits.ts'
import type { Device } from '../../core/policy/types.ts'
import type { Sql } from '../database/database.ts'
import { freeAdapters, holderOf } from './device-sql.ts'
import { edit, type Edit, type Made } from './edit.ts'
import { ApiError } from '../errors.ts'
import { keyOf, removeWithUses } from './draft.ts'

/**
 * Adds a device or replaces one, as with a group.
 *
 * @throws ApiError `address-taken` too
 */
export async function putDevice(
  sql: Sql,
  id: string | null,
  device: Omit<Device, 'id'>,
  mark?: string,
): Promise<Made & { id: string }> {
  const { ids, step } = await changeDevices(sql, {
    edits: [{ id, device, groups: null, mark: mark ?? null }],
    takeOut: [],
  })
  return { id: ids[0]!, step }
}

/**
 * Adds and replaces several devices, and takes some out, of groups and rules too or with another in their
 * place there: all or nothing.
 *
 * @returns the ids of those that were put
 * @throws ApiError `address-taken`, `not-found`, `changed-meanwhile`
 */
export function changeDevices(sql: Sql, { edits, takeOut }: DeviceEdits): Promise<Made & { ids: string[] }> {
  return edit(sql, async (draft) => {
    const ids: string[] = []
    const entries = await draft.all('device')
    const taken = new Set(entries.map(({ id }) => id))
    for (const { id, device, mark } of edits) {
      const key = keyOf(entries, taken, id, device.name, mark)
      taken.add(key)
      ids.push(key)
    }
    for (const { id, instead } of takeOut) await removeWithUses(draft, 'device', id, instead)
    // Addresses may go from one of these devices to another, so they are given out anew.
    await freeAdapters(draft.sql, ids)
    for (const [index, { device }] of edits.entries()) {
      const holder = await holderOf(
        draft.sql,
        device.adapters.map(({ mac }) => mac),
        ids[index]!,
      )
      if (holder)
        throw new ApiError(
          'address-taken',
          `${holder.mac} belongs to “${holder.name}”. Add it there, or take it from there first.`,
        )
      await draft.put('device', { ...device, id: ids[index]! })
    }
    await joinGroups(
      draft,
      edits.map(({ groups, person }, index) => ({ device: ids[index]!, groups, person })),
    )
    for (const [index, { like }] of edits.entries())
      if (like !== undefined) await treatAlike(draft, ids[index]!, like)
    return { ids }
  })
}

/**
 * Has the same rules apply to a device as to another: puts it into the groups of that, people left aside, and
 * beside it into rules.
 *
 * @throws ApiError `not-found`
 */
async function treatAlike(draft: Edit, id: string, like: string): Promise<void> {
  if (!(await draft.all('device')).some((device) => device.id === like))
    throw new ApiError('not-found', `The draft has no “${like}”.`)
  const beside = (ids: readonly string[]) => (ids.includes(like) && !ids.includes(id) ? [...ids, id] : ids)
  for (const group of await draft.all('group')) {
    const members = beside(group.members)
    if (!group.person && members !== group.members) await draft.put('group', { ...group, members })
  }
  for (const rule of await draft.all('rule')) {
    const { who } = rule
    const [devices, except] = [beside(who.devices), beside(who.except.devices)]
    if (devices !== who.devices || except !== who.except.devices)
      await draft.put('rule', {
        ...rule,
        who: { ...who, devices, except: { ...who.except, devices: except } },
      })
  }
}

/** The groups that a device is in then, and its person, as in a `DeviceEdit`. */
type Wish = Pick<DeviceEdit, 'groups' | 'person'> & { readonly device: string }

async function joinGroups(draft: Edit, wishes: readonly Wish[]): Promise<void> {
  const before = await draft.all('group')
  const after = new Map(before.map((group) => [group.id, { ...group, members: [...group.members] }]))
  /** Finds a group by its id or name, or makes one; where a person is meant, it is one then. */
  const called = (text: string, person: boolean): string => {
    const groups = [...after.values()]
    const people = groups.filter((group) => group.person)
    const known = (person ? entryCalled(people, text) : null) ?? entryCalled(groups, text)
    const id = known?.id ?? freeId(text, after.keys())
    const group = known ? after.get(id)! : { id, name: text, members: [], person, note: '' }
    after.set(id, { ...group, person: group.person || person })
    return id
  }
  const set = (group: string, device: string, isMember: boolean) => {
    const { members } = after.get(group)!
    const index = members.indexOf(device)
    if (isMember && index < 0) members.push(device)
    if (!isMember && index >= 0) members.splice(index, 1)
  }
  for (const { device, groups: wanted, person } of wishes) {
    if (wanted !== null) {
      const into = wanted.map((text) => called(text, false))
      for (const id of after.keys()) set(id, device, into.includes(id))
    }
    if (person === undefined) continue
    const owner = person === null ? null : called(person, true)
    for (const group of after.values()) if (group.person) set(group.id, device, group.id === owner)
  }
  for (const group of after.values()) {
    const was = before.find(({ id }) => id === group.id)
    if (was?.person !== group.person || was.members.join('\n') !== group.members.join('\n'))
      await draft.put('group', group)
  }
}
