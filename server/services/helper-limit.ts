import { MINUTE } from '../../core/time/duration.ts'
import { readInstant } from '../../core/time/instant.ts'
import type { OverrideWho, Policy } from '../../core/policy/types.ts'
import { isWithin } from '../../protocol/helper-limit.ts'
import type { HelperLimit } from '../../protocol/roles.ts'
import { ApiError } from './errors.ts'

/**
 * Refuses an override for anybody but the devices of the groups of a helper's limit.
 *
 * @throws ApiError `beyond-limit`
 */
export function refuseOutside(limit: HelperLimit, policy: Policy, who: OverrideWho): void {
  if (isWithin(limit, policy, who)) return
  const names = policy.groups.filter(({ id }) => limit.groups.includes(id)).map(({ name }) => name)
  const whom = names.length === 0 ? 'nobody: your groups were deleted' : `devices of ${names.join(', ')}`
  throw new ApiError('beyond-limit', `You may allow and block ${whom}.`)
}

/**
 * Refuses an end (an instant; `null` = none) that is later than so many minutes after `start` (seconds).
 *
 * @throws ApiError `beyond-limit`
 */
export function refuseLateEnd({ minutes }: HelperLimit, until: string | null, start: number): void {
  if (until === null || readInstant(until)! > start + minutes * MINUTE)
    throw new ApiError('beyond-limit', `Choose ${minutes} minutes or less.`)
}
