import type { Device, DeviceKind, Policy } from '../policy/types.ts'

/** The source of a finding besides the policy: an address and the host name under which it was seen. */
export interface Seen {
  readonly mac: string
  readonly hostName: string | null
}

/** Something about a device's adapters that is likely not meant. */
export type AdapterFinding =
  /** An address that no device has was seen under the device's own host name. */
  | {
      readonly kind: 'second-adapter'
      readonly device: string
      readonly mac: string
      readonly hostName: string
    }
  /** A thing that is carried about has only its cable entered. */
  | { readonly kind: 'wifi-missing'; readonly device: string }
  /** Addresses of two devices were seen under one host name. */
  | {
      readonly kind: 'one-machine'
      readonly device: string
      readonly other: string
      readonly hostName: string
    }

/** The kinds of devices that are carried about, and so have Wi-Fi. */
const CARRIED: readonly DeviceKind[] = ['phone', 'tablet', 'laptop', 'reader', 'watch']

/** The number of addresses with one host name from which that counts as a maker's default. */
const SHARED = 4

/**
 * The findings about adapters, in the order of the devices. Host names are compared without regard to case.
 */
export function adapterFindings(
  { devices }: Pick<Policy, 'devices'>,
  seen: readonly Seen[],
): AdapterFinding[] {
  const holders = new Map(
    devices.flatMap((device) => device.adapters.map(({ mac }): [string, Device] => [mac, device])),
  )
  const byName = new Map<string, Seen[]>()
  for (const one of seen.filter(({ hostName }) => hostName !== null))
    byName.set(one.hostName!.toLowerCase(), [...(byName.get(one.hostName!.toLowerCase()) ?? []), one])
  const telling = [...byName.values()].filter((list) => list.length > 1 && list.length <= SHARED)
  const found = new Map<string, AdapterFinding[]>(devices.map((device) => [device.id, []]))
  for (const device of devices) {
    if (
      CARRIED.includes(device.kind) &&
      device.adapters.length > 0 &&
      device.adapters.every(({ medium }) => medium === 'ethernet')
    )
      found.get(device.id)!.push({ kind: 'wifi-missing', device: device.id })
  }
  for (const list of telling) {
    const owners = [...new Set(list.flatMap(({ mac }) => holders.get(mac) ?? []))].sort(
      (a, b) => devices.indexOf(a) - devices.indexOf(b),
    )
    const hostName = list[0]!.hostName!
    const [first, second] = owners
    if (!first) continue
    if (second)
      found.get(first.id)!.push({ kind: 'one-machine', device: first.id, other: second.id, hostName })
    else
      for (const { mac } of list.filter(({ mac }) => !holders.has(mac)))
        found.get(first.id)!.push({ kind: 'second-adapter', device: first.id, mac, hostName })
  }
  return [...found.values()].flat()
}
