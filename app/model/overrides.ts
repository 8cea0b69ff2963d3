import type { Subject } from '../../core/decision/subject.ts'
import type { PolicyPeriod } from '../../core/decision/periods.ts'
import { readInstant } from '../../core/time/instant.ts'

/**
 * When overrides name a device, by itself or by a group, over the periods: their bounds in seconds (`Infinity` =
 * until lifted), each once.
 */
export function overridesOf(
  periods: readonly PolicyPeriod[],
  { device }: Subject,
): { readonly id: string; readonly from: number; readonly until: number }[] {
  if (device === null) return []
  const found = periods.flatMap(({ policy }) =>
    policy.overrides
      .filter(
        ({ who }) =>
          who.devices.includes(device) ||
          policy.groups.some((group) => who.groups.includes(group.id) && group.members.includes(device)),
      )
      .map(({ id, from, until }): [string, { id: string; from: number; until: number }] => [
        id,
        { id, from: readInstant(from)!, until: until === null ? Infinity : readInstant(until)! },
      ]),
  )
  return [...new Map(found).values()]
}
