import type { Subject } from '../../../core/decision/compile.ts'
import type { Override, Policy } from '../../../core/policy/types.ts'
import { readInstant } from '../../../core/time/instant.ts'

/** The overrides that name a device, by itself or by a group, with their bounds in seconds (`Infinity` = until lifted). */
export function overridesOf(policy: Policy, { device }: Subject): (Override & { readonly at: { from: number, until: number } })[] {
  return policy.overrides
    .filter(({ who }) => device !== null && (who.devices.includes(device) || policy.groups.some(group => who.groups.includes(group.id) && group.members.includes(device))))
    .map(override => ({ ...override, at: { from: readInstant(override.from)!, until: override.until === null ? Infinity : readInstant(override.until)! } }))
}
