import type { AdapterFinding } from '../findings/adapters.ts'
import {
  DEVICE_KINDS,
  MEDIUMS,
  type Adapter,
  type DeviceKind,
  type Medium,
  type Policy,
} from '../policy/types.ts'

const KIND: Readonly<Partial<Record<DeviceKind, string>>> = {
  reader: 'e-book reader',
  screen: 'screen or television',
  console: 'games console',
  storage: 'file store',
  terminal: 'till or terminal',
  other: 'something else',
}

/** Returns the kind of a device in words. */
export const kindWord = (kind: DeviceKind) => KIND[kind] ?? kind

/** Every kind with its words, for menus. */
export const KIND_CHOICES = DEVICE_KINDS.map((kind) => ({ value: kind, label: kindWord(kind) }))

/** Returns the medium of an adapter in words; empty where that is not known. */
export const mediumWord = (medium: Medium | null) =>
  ({ wifi: 'Wi-Fi', ethernet: 'cable', other: '' })[medium ?? 'other']

/** Every medium with its words, for menus. */
export const MEDIUM_CHOICES = MEDIUMS.map((medium) => ({
  value: medium,
  label: mediumWord(medium) || 'other',
}))

/**
 * An adapter as it is listed: "02:5e:10:00:00:01 Wi-Fi".
 *
 * @example adapterWords({ mac: '02:5e:10:00:00:09', medium: 'wifi' }) // '02:5e:10:00:00:09 Wi-Fi'
 */
export const adapterWords = ({ mac, medium }: Adapter) => `${mac} ${mediumWord(medium)}`.trim()

/** A finding about a device's adapters: short enough for its line, and in full. */
export function findingWords(finding: AdapterFinding, { devices }: Policy): { brief: string; full: string } {
  const nameOf = (id: string) => devices.find((device) => device.id === id)?.name ?? id
  const name = nameOf(finding.device)
  if (finding.kind === 'second-adapter') {
    return {
      brief: 'perhaps another adapter',
      full: `${finding.mac} was seen under its host name, “${finding.hostName}”, and belongs to no device. If it is the same device, add that address, so that rules apply to it too.`,
    }
  }
  if (finding.kind === 'wifi-missing') {
    return {
      brief: 'its Wi-Fi address is missing',
      full: `Only the cable adapter of ${name} is known, and such devices have Wi-Fi too. Import its addresses to add both.`,
    }
  }
  const other = nameOf(finding.other)
  return {
    brief: `perhaps the same as ${other}`,
    full: `${name} and ${other} were both seen as “${finding.hostName}”. If they are one device, merge them, so that rules apply to all of it.`,
  }
}
