import type { StateAt } from '../../core/decision/moment.ts'
import { isBlocked } from '../../core/decision/standing.ts'
import { adapterFindings, type AdapterFinding } from '../../core/findings/adapters.ts'
import type { Device, Policy } from '../../core/policy/types.ts'
import { readInstant } from '../../core/time/instant.ts'
import type { SightingAnswer } from '../../protocol/answers.ts'
import { networkFinder } from '../../protocol/everybody.ts'

/**
 * A device of the draft with all that its line in the list shows. Instants are in seconds; `lastSeen` is
 * `Infinity` while it is connected and `-Infinity` where it was never seen.
 */
export interface DeviceRow {
  readonly device: Device
  readonly seen: readonly SightingAnswer[]
  readonly groups: string
  /** The name of the network in which it was seen last; empty where that is none with a name. */
  readonly network: string
  readonly moment: StateAt | undefined
  readonly firstSeen: number
  readonly lastSeen: number
  /** Whether it is the machine that this page is shown on. */
  readonly yours: boolean
  readonly findings: readonly AdapterFinding[]
}

/**
 * Every device of the draft as a row, in the draft's order; `standing` says how each stands at the moment.
 */
export function deviceRows(
  draft: Policy,
  sightings: readonly SightingAnswer[],
  standing: ReadonlyMap<string, StateAt>,
): DeviceRow[] {
  const byMac = new Map(sightings.map((sighting) => [sighting.mac, sighting]))
  const networkFor = networkFinder(draft, sightings)
  const groups = new Map<string, string[]>(draft.devices.map(({ id }) => [id, []]))
  for (const { name, members } of draft.groups) members.forEach((member) => groups.get(member)?.push(name))
  const findings = new Map<string, AdapterFinding[]>()
  for (const finding of adapterFindings(draft, sightings))
    findings.set(finding.device, [...(findings.get(finding.device) ?? []), finding])
  return draft.devices.map((device) => {
    const seen = device.adapters.flatMap(({ mac }) => byMac.get(mac) ?? [])
    return {
      device,
      seen,
      groups: groups.get(device.id)!.join(', '),
      network: networkFor(device.adapters.map(({ mac }) => mac))?.name ?? '',
      moment: standing.get(device.id),
      firstSeen: Math.min(...seen.map(({ firstSeen }) => readInstant(firstSeen)!)),
      lastSeen: seen.some(({ connected }) => connected)
        ? Infinity
        : Math.max(...seen.map(({ lastSeen }) => readInstant(lastSeen)!)),
      yours: seen.some(({ yours }) => yours),
      findings: findings.get(device.id) ?? [],
    }
  })
}

type Compare = (a: DeviceRow, b: DeviceRow) => number
// Infinity less infinity is no number, and no order.
const later = (a: number, b: number) => {
  if (a === b) return 0
  if (a > b) return -1
  return 1
}
const byName: Compare = (a, b) => names.compare(a.device.name, b.device.name)
const names = new Intl.Collator('en', { numeric: true })

/** The orders of the list, in the words of their menu. Equals stand by name. */
export const ORDERS = {
  'name': byName,
  'blocked first': (a, b) =>
    Number(blocked(b)) - Number(blocked(a)) ||
    names.compare(a.moment?.state ?? '', b.moment?.state ?? '') ||
    byName(a, b),
  'group': (a, b) =>
    Number(a.groups === '') - Number(b.groups === '') || names.compare(a.groups, b.groups) || byName(a, b),
  'network': (a, b) =>
    Number(a.network === '') - Number(b.network === '') ||
    names.compare(a.network, b.network) ||
    byName(a, b),
  'kind': (a, b) => names.compare(a.device.kind, b.device.kind) || byName(a, b),
  'last seen': (a, b) => later(a.lastSeen, b.lastSeen) || byName(a, b),
  'newest first': (a, b) => later(a.firstSeen, b.firstSeen) || byName(a, b),
  'warnings first': (a, b) => b.findings.length - a.findings.length || byName(a, b),
} as const satisfies Readonly<Record<string, Compare>>
export type Order = keyof typeof ORDERS

const blocked = ({ moment }: DeviceRow) => moment !== undefined && isBlocked(moment.state)
