import { subjectOfMac, type Compiled } from '../../core/decision/compile.ts'
import type { Subject } from '../../core/decision/subject.ts'
import type { Device, Network, Policy } from '../../core/policy/types.ts'
import type { Sighting } from '../../protocol/gateway.ts'
import { boardText } from '../text/board.ts'
import { networkFinder } from './networks.ts'

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
  /** The name of the network in which it was seen last; empty where that is none with a name. */
  readonly network: string
}

/**
 * The board's rows, group by group in the draft's order: its devices, those that are live still but gone from
 * it, and at the end every address seen that belongs to nobody.
 */
export function boardRows(
  draft: Pick<Policy, 'devices' | 'groups'>,
  live: Compiled,
  sightings: readonly Sighting[],
): Row[] {
  const kept = new Set(draft.devices.map(({ id }) => id))
  const gone = live.policy.devices.filter(({ id }) => !kept.has(id))
  const devices = [...draft.devices, ...gone]
  const known = new Set(devices.flatMap((device) => device.adapters.map(({ mac }) => mac)))
  const placed = new Set<string>()
  const sections = draft.groups.map((group) => {
    const members = new Set(group.members)
    return {
      name: group.name,
      devices: devices.filter(({ id }) => members.has(id) && !placed.has(id) && placed.add(id)),
    }
  })
  const networkFor = networkFinder(live.policy, sightings)
  return [
    ...[
      ...sections,
      { name: boardText.inNoGroup, devices: devices.filter(({ id }) => !placed.has(id)) },
    ].flatMap((section) =>
      section.devices.map((device) => deviceRow(device, section.name, live, networkFor)),
    ),
    ...sightings
      .filter(({ mac, connected }) => connected && !known.has(mac))
      .map(({ mac, hostName }): Row => {
        const network = networkFor([mac])
        return {
          key: mac,
          name: hostName ?? mac,
          subject: { device: null, mac, network: network?.id ?? null },
          macs: [mac],
          notLive: false,
          section: boardText.unknownDevices,
          network: network?.name ?? '',
        }
      }),
  ]
}

function deviceRow(
  device: Device,
  section: string,
  live: Compiled,
  networkFor: (macs: readonly string[]) => Network | null,
): Row {
  const isLive = live.includes.has(device.id)
  const macs = device.adapters.map(({ mac }) => mac)
  const network = networkFor(macs)
  const subject = isLive
    ? { device: device.id, mac: null, network: network?.id ?? null }
    : subjectOfMac(live, macs[0] ?? '', network?.id)
  return {
    key: device.id,
    name: device.name,
    subject,
    macs,
    notLive: !isLive,
    section,
    network: network?.name ?? '',
  }
}
