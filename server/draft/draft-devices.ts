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
      edits.map(({ groups }, index) => ({ device: ids[index]!, groups })),
    )
    return { ids }
  })
}

async function joinGroups(
  draft: Edit,
  wishes: readonly { device: string; groups: DeviceEdit['groups'] }[],
): Promise<void> {
  const entries = [...(await draft.all('group'))]
  const members = new Map(entries.map(({ id, members }) => [id, [...members]]))
  for (const { device, groups: wanted } of wishes) {
    if (wanted === null) continue
    const into = wanted.map((text) => {
      const known = entryCalled(entries, text)
      if (known) return known.id
      const id = freeId(text, members.keys())
      entries.push({ id, name: text, members: [], note: '' })
      members.set(id, [])
      return id
    })
    for (const [id, list] of members) {
      const index = list.indexOf(device)
      if (into.includes(id) && index < 0) list.push(device)
      if (!into.includes(id) && index >= 0) list.splice(index, 1)
    }
  }
  for (const group of entries) {
    const next = members.get(group.id)!
    if (next.join('\n') !== group.members.join('\n')) await draft.put('group', { ...group, members: next })
  }
}
