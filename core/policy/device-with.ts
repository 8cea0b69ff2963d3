import type { Device, Policy } from './types.ts'

/** The device of a policy that has a MAC address; `undefined` = none. */
export function deviceWith({ devices }: Pick<Policy, 'devices'>, mac: string | null): Device | undefined {
  return devices.find(({ adapters }) => adapters.some((adapter) => adapter.mac === mac))
}
