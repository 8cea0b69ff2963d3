import canonicalize from 'canonicalize'
import { entryCalled } from '../policy/id.ts'
import type { Device, Group, Policy } from '../policy/types.ts'
import type { DeviceRow } from './device-row.ts'
import type { FoundAdapter, Reading } from './reading.ts'

/** One machine of a text, and what taking it in would do to the draft. */
export interface Intake {
  /**
   * `add`: a device of its own. `extend`: further adapters of a device. `update`: a device that a list says
   * otherwise. `known`: nothing new. `clash`: its addresses belong to several devices.
   */
  readonly act: 'add' | 'extend' | 'update' | 'known' | 'clash'
  /** The device that changes, `null` where a new one is made. */
  readonly id: string | null
  /** The device as it would become; the name of a new one may be empty yet. */
  readonly device: Omit<Device, 'id'>
  /** The groups that it would be in, by name or id; `null` = as before. */
  readonly groups: readonly string[] | null
  /** The addresses that the device gets and no device has yet, with what is known of them. */
  readonly fresh: readonly Pick<FoundAdapter, 'mac' | 'medium' | 'addresses'>[]
  /** The devices that have one of its addresses already. */
  readonly devices: readonly Device[]
  /** The parts of the device that a list changes: its keys, and "groups". */
  readonly fields: readonly string[]
}

/**
 * Returns the devices that a reading would add to a draft, machine by machine: the cards of one machine
 * belong together, and so do addresses seen under one host name.
 */
export function intakeOf(reading: Reading, draft: Policy): Intake[] {
  const holders = new Map(
    draft.devices.flatMap((device) => device.adapters.map(({ mac }): [string, Device] => [mac, device])),
  )
  if (reading.kind === 'devices') return intakeOfRows(reading.rows, draft, holders)
  const holdersOf = (cards: readonly FoundAdapter[]) =>
    cards.some(({ mac }) => holders.has(mac))
      ? [...new Set(cards.flatMap(({ mac }) => holders.get(mac) ?? []))]
      : []
  return machinesOf(reading.kind, reading.found).map((cards) => {
    const devices = holdersOf(cards)
    const fresh = devices.length === 0 ? cards : cards.filter(({ mac }) => !holders.has(mac))
    let act: Intake['act']
    if (devices.length > 1) act = 'clash'
    else if (fresh.length === 0) act = 'known'
    else if (devices.length === 1) act = 'extend'
    else act = 'add'
    const { id, ...form } = devices[0] ?? {
      id: null,
      name: cards.find((card) => card.hostName)?.hostName ?? '',
      kind: 'other' as const,
      shielded: false,
      note: '',
      adapters: [],
    }
    const adapters = [
      ...form.adapters,
      ...fresh.map(({ mac, medium }) => ({ mac, medium: medium ?? ('other' as const) })),
    ]
    return { act, id, device: { ...form, adapters }, groups: null, fresh, devices, fields: [] }
  })
}

function intakeOfRows(
  rows: readonly DeviceRow[],
  draft: Policy,
  holders: ReadonlyMap<string, Device>,
): Intake[] {
  const ids = new Map(draft.devices.map((device) => [device.id, device]))
  const wanted = new Set<string>()
  const targets = new Map(
    rows.map((row): [DeviceRow, Device | undefined] => [row, targetOf(row, ids, holders)]),
  )
  const changed = new Set([...targets.values()].filter((device) => device !== undefined))
  const taken = new Set<Device>()
  return rows.map((row) => {
    const target = targets.get(row)
    const macs = row.device.adapters.map(({ mac }) => mac)
    const devices = [...new Set(macs.flatMap((mac) => holders.get(mac) ?? []))]
    const { id: _id, ...before } = target ?? {
      id: '',
      name: '',
      kind: 'other' as const,
      adapters: [],
      shielded: false,
      note: '',
    }
    const device = { ...before, ...row.device }
    const isSameGroups = target && row.groups && sameGroups(target, row.groups, draft.groups)
    const groups = isSameGroups ? null : row.groups
    // An address may change hands within the list, but neither be claimed twice nor be taken from a device
    // that the list leaves alone.
    const clash =
      macs.some((mac) => wanted.has(mac)) ||
      devices.some((one) => one !== target && !changed.has(one)) ||
      (target !== undefined && taken.has(target))
    macs.forEach((mac) => wanted.add(mac))
    if (target) taken.add(target)
    const fields = target ? [...changedKeys(before, device), ...(groups ? ['groups'] : [])] : []
    let act: Intake['act']
    if (clash) act = 'clash'
    else if (!target) act = 'add'
    else if (fields.length > 0) act = 'update'
    else act = 'known'
    return {
      act,
      id: target?.id ?? null,
      device,
      groups,
      fresh: row.device.adapters
        .filter(({ mac }) => !holders.has(mac))
        .map((adapter) => ({ ...adapter, addresses: [] })),
      devices: target && devices.length === 0 ? [target] : devices,
      fields,
    }
  })
}

/** The keys whose value is another. */
function changedKeys(before: Omit<Device, 'id'>, after: Omit<Device, 'id'>): string[] {
  return Object.entries(after)
    .filter(([key, value]) => canonicalize(value) !== canonicalize(before[key as keyof typeof before]))
    .map(([key]) => key)
}

/**
 * The device that a row is about: the one with its id, where name or an address agree as well, else the one
 * that has its first known address.
 */
function targetOf(
  { id, device: { name, adapters } }: DeviceRow,
  ids: ReadonlyMap<string, Device>,
  holders: ReadonlyMap<string, Device>,
): Device | undefined {
  const named = id === null ? undefined : ids.get(id)
  if (
    named &&
    (named.name === name || named.adapters.some(({ mac }) => adapters.some((adapter) => adapter.mac === mac)))
  )
    return named
  return adapters.map(({ mac }) => holders.get(mac)).find((device) => device !== undefined)
}

function sameGroups({ id }: Device, wanted: readonly string[], groups: readonly Group[]): boolean {
  const into = new Set(wanted.map((text) => entryCalled(groups, text)?.id ?? text))
  const now = groups.filter(({ members }) => members.includes(id))
  return into.size === now.length && now.every((group) => into.has(group.id))
}

function machinesOf(kind: 'machine' | 'network', found: readonly FoundAdapter[]): FoundAdapter[][] {
  if (kind === 'machine') return found.length > 0 ? [[...found]] : []
  const machines = new Map<string, FoundAdapter[]>()
  for (const card of found) {
    const key = card.hostName?.toLowerCase() ?? card.mac
    const cards = machines.get(key)
    if (cards) cards.push(card)
    else machines.set(key, [card])
  }
  return [...machines.values()]
}
