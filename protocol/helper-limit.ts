import type { OverrideWho, Policy } from '../core/policy/types.ts'
import type { HelperLimit } from './roles.ts'

/** The devices that a helper may allow and block: the members of the groups of the limit. */
export function devicesWithin(limit: HelperLimit, { groups }: Pick<Policy, 'groups'>): ReadonlySet<string> {
  return new Set(groups.filter(({ id }) => limit.groups.includes(id)).flatMap(({ members }) => members))
}

/** Whether an override for these is for nobody but devices and groups of a helper's limit. */
export function isWithin(
  limit: HelperLimit,
  policy: Pick<Policy, 'groups'>,
  who: Partial<Omit<OverrideWho, 'except'>>,
): boolean {
  const devices = devicesWithin(limit, policy)
  const isForOthers = who.everyone || who.newcomers || who.networks?.length || who.macs?.length
  return (
    !isForOthers &&
    (who.groups ?? []).every((id) => limit.groups.includes(id)) &&
    (who.devices ?? []).every((id) => devices.has(id))
  )
}
