import type { Compiled } from '../../../core/decision/compile.ts'
import type { Subject } from '../../../core/decision/subject.ts'
import type { Policy } from '../../../core/policy/types.ts'
import { everybody, type OnNetwork } from '../../../protocol/everybody.ts'
import type { Sighting } from '../../../protocol/gateway/gateway.ts'
import { peopleOf } from '../people.ts'
import { boardText } from '../../text/board.ts'

/** A row of the board: a device as it is named, and who it is to the policy that is live. */
export interface Row {
  readonly key: string
  readonly name: string
  readonly subject: Subject
  readonly macs: readonly string[]
  /** A device of the draft that the live policy does not know: it counts as a newcomer still. */
  readonly notLive: boolean
  /** The name under which it stands: of its person, else of its first group. */
  readonly section: string
  /** The names of the person and of every group that it belongs to, or of the section at the end. */
  readonly groups: readonly string[]
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
  const all = everybody(draft, live, sightings)
  const placed = new Set<string>()
  // People come first: a device that is somebody's and of a group stands with them.
  const groups = [...peopleOf(draft), ...draft.groups.filter(({ person }) => !person)]
  const names = new Map<string, string[]>()
  for (const { name, members } of groups)
    for (const member of members) names.set(member, [...(names.get(member) ?? []), name])
  const namesOf = ({ device }: OnNetwork) => (device ? names.get(device.id) : undefined)
  const sections = groups.map((group) => {
    const members = new Set(group.members)
    const those = all.filter(({ device }) => device && members.has(device.id) && !placed.has(device.id))
    for (const { key } of those) placed.add(key)
    return { name: group.name, those }
  })
  const rest = all.filter(({ device }) => device && !placed.has(device.id))
  const unknown = all.filter(({ device }) => device === null)
  return [
    ...sections,
    { name: boardText.inNoGroup, those: rest },
    { name: boardText.unknownDevices, those: unknown },
  ].flatMap(({ name, those }) => those.map((one) => rowOf(one, name, namesOf(one) ?? [name], live)))
}

function rowOf(
  { key, name, device, subject, macs, network }: OnNetwork,
  section: string,
  groups: readonly string[],
  live: Compiled,
): Row {
  const notLive = device !== null && !live.includes.has(device.id)
  return { key, name, subject, macs, notLive, section, groups, network: network?.name ?? '' }
}
