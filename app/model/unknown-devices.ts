import { mayChange } from '../../core/destination/mac.ts'
import type { Device, Policy } from '../../core/policy/types.ts'
import type { SightingAnswer as Sighting } from '../../protocol/answers.ts'
import { devicesText } from '../text/devices.ts'

/** The data of a device that is being dragged: its id. */
export const DRAGGED = 'application/x-kairostat-device'

/** Every address seen on the network that belongs to no device of the draft, the latest first. */
export function newcomersOf(draft: Policy, sightings: readonly Sighting[]): Sighting[] {
  const known = new Set(draft.devices.flatMap((device) => device.adapters.map(({ mac }) => mac)))
  return sightings.filter(({ mac }) => !known.has(mac))
}

/** A device's sightings, in the order of its adapters. */
export function sightingsOf(device: Device, sightings: readonly Sighting[]): Sighting[] {
  return device.adapters.flatMap(({ mac }) => sightings.filter((sighting) => sighting.mac === mac))
}

/** A name to begin with: the host name with blanks and a capital letter. */
export function suggestedName({ hostName }: Pick<Sighting, 'hostName'>): string {
  const words = (hostName ?? '').replace(/[-_.]+/g, ' ').trim()
  return words.charAt(0).toUpperCase() + words.slice(1)
}

/**
 * Whether a device or a newcomer (`null`) is meant by a name or part of one: it is looked for in name, note,
 * addresses in any notation, host names, makers and IP addresses.
 */
export function matchesSearch(device: Device | null, seen: readonly Sighting[], text: string): boolean {
  const plain = text.trim().toLowerCase()
  const digits = plain.replace(/[^0-9a-f]/g, '')
  const macs = [...(device?.adapters ?? []), ...seen].map(({ mac }) => mac)
  const words = [
    device?.name ?? '',
    device?.note ?? '',
    ...macs,
    ...seen.flatMap(({ hostName, maker, addresses }) => [hostName ?? '', maker ?? '', ...addresses]),
  ]
  return (
    words.some((word) => word.toLowerCase().includes(plain)) ||
    (digits.length >= 4 &&
      /^[0-9a-f:.\s-]+$/.test(plain) &&
      macs.some((mac) => mac.replaceAll(':', '').includes(digits)))
  )
}

/** The maker that is shown for an address with the locally administered bit. */
export const changeNote = (mac: string) => (mayChange(mac) ? devicesText.privateAddress : '')
