import type { Subject } from '../../core/decision/subject.ts'
import type { PolicyPeriod } from '../../core/decision/periods.ts'
import { readInstant } from '../../core/time/instant.ts'

/**
 * Returns the times at which overrides name a device, by itself or by a group, over the periods: their bounds
 * in seconds (`Infinity` = until lifted), each once.
 */
export function overridesOf(
  periods: readonly PolicyPeriod[],
  { device, mac, network }: Subject,
): { readonly id: string; readonly from: number; readonly until: number }[] {
  const found = periods.flatMap(({ policy }) =>
    policy.overrides
      .filter(
        ({ who, more }) =>
          more === null &&
          ((device !== null && who.devices.includes(device)) ||
            (mac !== null && who.macs.includes(mac)) ||
            (network !== null && who.networks.includes(network)) ||
            policy.groups.some(
              ({ id, members }) => device !== null && who.groups.includes(id) && members.includes(device),
            )),
      )
      .map(({ id, from, until }): [string, { id: string; from: number; until: number }] => [
        id,
        { id, from: readInstant(from)!, until: until === null ? Infinity : readInstant(until)! },
      ]),
  )
  return [...new Map(found).values()]
}
