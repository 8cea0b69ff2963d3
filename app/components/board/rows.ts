import { subjectOfMac, type Compiled, type Subject } from '../../../core/decision/compile.ts'
import type { Device, Policy } from '../../../core/policy/types.ts'
import type { Sighting } from '../../../gateway/protocol.ts'

/** A row of the board: a device as it is named, and who it is to the policy that is live. */
export interface Row {
  readonly key: string
  readonly name: string
  readonly subject: Subject
  readonly macs: readonly string[]
  /** A device of the draft that the live policy does not know: it counts as a newcomer still. */
  readonly notLive: boolean
  /** The name under which its group stands. */
  readonly section: string
}

const NEWCOMERS = 'Newcomers'
const UNGROUPED = 'In no group'

/** The board's rows, group by group in the draft's order: its devices, those that are live still but gone from it, and at the end every address seen that belongs to nobody. */
export function boardRows(draft: Pick<Policy, 'devices' | 'groups'>, live: Compiled, sightings: readonly Sighting[]): Row[] {
  const kept = new Set(draft.devices.map(({ id }) => id))
  const gone = live.policy.devices.filter(({ id }) => !kept.has(id))
  const devices = [...draft.devices, ...gone]
  const known = new Set(devices.flatMap(device => device.adapters.map(({ mac }) => mac)))
  const placed = new Set<string>()
  const sections = draft.groups.map((group) => {
    const members = new Set(group.members)
    return { name: group.name, devices: devices.filter(({ id }) => members.has(id) && !placed.has(id) && placed.add(id)) }
  })
  return [
    ...[...sections, { name: UNGROUPED, devices: devices.filter(({ id }) => !placed.has(id)) }].flatMap(section => section.devices.map(device => deviceRow(device, section.name, live))),
    ...sightings.filter(({ mac, connected }) => connected && !known.has(mac)).map(({ mac, hostName }): Row => ({
      key: mac, name: hostName ?? mac, subject: { device: null, mac }, macs: [mac], notLive: false, section: NEWCOMERS,
    })),
  ]
}

function deviceRow(device: Device, section: string, live: Compiled): Row {
  const isLive = live.includes.has(device.id)
  const macs = device.adapters.map(({ mac }) => mac)
  const subject = isLive ? { device: device.id, mac: null } : subjectOfMac(live, macs[0] ?? '')
  return { key: device.id, name: device.name, subject, macs, notLive: !isLive, section }
}
