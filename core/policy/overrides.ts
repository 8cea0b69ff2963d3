import type { Override, Policy, Spent } from './types.ts'

/**
 * The overrides that speak only of what the policy has, in their order: one for a device or group that is
 * gone has nobody left to meet, one of a list or app that is gone nothing to cover.
 */
export function overridesFor<T extends Pick<Override, 'who' | 'what'>>(
  policy: Pick<Policy, 'devices' | 'groups' | 'networks' | 'siteLists' | 'apps'>,
  all: readonly T[],
): T[] {
  const devices = new Set(policy.devices.map(({ id }) => id))
  const groups = new Set(policy.groups.map(({ id }) => id))
  const networks = new Set(policy.networks.map(({ id }) => id))
  const lists = new Set(policy.siteLists.map(({ id }) => id))
  const apps = new Set(policy.apps.map(({ id }) => id))
  return all.filter(
    ({ who, what }) =>
      [...who.devices, ...who.except.devices].every((id) => devices.has(id)) &&
      [...who.groups, ...who.except.groups].every((id) => groups.has(id)) &&
      [...who.networks, ...who.except.networks].every((id) => networks.has(id)) &&
      (what === null ||
        (what.siteLists.every((id) => lists.has(id)) && what.apps.every((id) => apps.has(id)))),
  )
}

/**
 * The times of use that are of an allowance of the policy, and of a device that it has or of an unknown
 * one.
 */
export function spentFor(policy: Pick<Policy, 'devices' | 'rules'>, all: readonly Spent[]): Spent[] {
  const devices = new Set(policy.devices.map(({ id }) => id))
  const isShared = new Map(policy.rules.flatMap(({ id, after }) => (after ? [[id, after.shared]] : [])))
  return all.filter(
    ({ rule, device, mac }) =>
      isShared.get(rule) === (device === null && mac === null) && (device === null || devices.has(device)),
  )
}
