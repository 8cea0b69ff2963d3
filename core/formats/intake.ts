import type { Device, Policy } from '../policy/types.ts'
import type { Found, Reading } from './reading.ts'

/** One machine of a text, and what taking it in would do to the draft. */
export interface Intake {
  /** `add`: a device of its own. `extend`: further adapters of a device. `known`: nothing new. `clash`: its addresses belong to several devices. */
  readonly act: 'add' | 'extend' | 'known' | 'clash'
  /** The name to begin with: the device's, or what the text calls it; may be empty. */
  readonly name: string
  /** The addresses that no device has yet. */
  readonly fresh: readonly Found[]
  /** The devices that have one of its addresses already. */
  readonly devices: readonly Device[]
}

/** What a reading would add to a draft, machine by machine: the cards of one machine belong together, and so do addresses seen under one host name. */
export function intakeOf({ kind, found }: Pick<Reading, 'kind' | 'found'>, draft: Policy): Intake[] {
  const holders = new Map(draft.devices.flatMap(device => device.adapters.map(({ mac }): [string, Device] => [mac, device])))
  return machinesOf(kind, found).map((cards) => {
    const devices = [...new Set(cards.flatMap(({ mac }) => holders.get(mac) ?? []))]
    const fresh = cards.filter(({ mac }) => !holders.has(mac))
    const act = devices.length > 1 ? 'clash' : fresh.length === 0 ? 'known' : devices.length === 1 ? 'extend' : 'add'
    return { act, name: devices[0]?.name ?? cards.find(card => card.hostName)?.hostName ?? '', fresh, devices }
  })
}

function machinesOf(kind: Reading['kind'], found: readonly Found[]): Found[][] {
  if (kind === 'machine') return found.length > 0 ? [[...found]] : []
  const machines = new Map<string, Found[]>()
  for (const card of found) {
    const key = card.hostName?.toLowerCase() ?? card.mac
    const cards = machines.get(key)
    if (cards) cards.push(card)
    else machines.set(key, [card])
  }
  return [...machines.values()]
}
