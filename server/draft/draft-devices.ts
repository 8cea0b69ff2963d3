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
    return { ids }
  })
}

/** The groups that a device is in then, and its person, as in a `DeviceEdit`. */
type Wish = Pick<DeviceEdit, 'groups' | 'person'> & { readonly device: string }

async function joinGroups(draft: Edit, wishes: readonly Wish[]): Promise<void> {
  const before = await draft.all('group')
  const entries = [...before]
  const members = new Map(entries.map(({ id, members }) => [id, [...members]]))
  /** Finds a group by its id or name, or makes one. */
  const called = (text: string, person: boolean): string => {
    const known = entryCalled(
      entries.filter((entry) => entry.person === person),
      text,
    )
    if (known) return known.id
    const id = freeId(text, members.keys())
    entries.push({ id, name: text, members: [], person, note: '' })
    members.set(id, [])
    return id
  }
  const set = (group: string, device: string, isMember: boolean) => {
    const list = members.get(group)!
    const index = list.indexOf(device)
    if (isMember && index < 0) list.push(device)
    if (!isMember && index >= 0) list.splice(index, 1)
  }
  for (const { device, groups: wanted, person } of wishes) {
    if (wanted !== null) {
      const into = wanted.map((text) => entryCalled(entries, text)?.id ?? called(text, false))
      for (const id of members.keys()) set(id, device, into.includes(id))
    }
    if (person === undefined) continue
    const owner = person === null ? null : called(person, true)
    for (const entry of entries) if (entry.person) set(entry.id, device, entry.id === owner)
  }
  for (const group of entries) {
    const next = members.get(group.id)!
    const isNew = !before.includes(group)
    if (isNew || next.join('\n') !== group.members.join('\n'))
      await draft.put('group', { ...group, members: next })
  }
}
