import { sizeOf } from '../../core/allowance/limits.ts'
import { MINUTE } from '../../core/time/duration.ts'
import { clip, secondsIn, unite, type Range } from '../../core/time/ranges.ts'
import { readInstant } from '../../core/time/instant.ts'
import type { Override, OverrideWho, Policy } from '../../core/policy/types.ts'
import { isWithin } from '../../protocol/helper-limit.ts'
import type { HelperLimit } from '../../protocol/roles.ts'
import type { Sql } from '../database/database.ts'
import { overrideAuthor } from './override-sql.ts'
import { ApiError } from '../errors.ts'

/**
 * An act on an override: before it (`null` = there is none) and after it (`null` = it ends
 * now).
 */
interface OverrideAct {
  readonly policy: Policy
  readonly before: Override | null
  readonly next: Override | null
  /** Whether a device asked for it: then it may begin when the device would be restricted. */
  readonly isAsked?: boolean
}

/**
 * Refuses what a helper may not do to overrides: to make, move, add or end. To be asked in the transaction
 * that does it, so that many at once do not all find room.
 *
 * @param limit `null` = anything
 * @throws ApiError `beyond-limit`
 */
export async function refuseBeyond(
  tx: Sql,
  limit: HelperLimit | null,
  author: string,
  { policy, before, next, isAsked = false }: OverrideAct,
): Promise<void> {
  if (!limit) return
  if (before) {
    await refuseOthers(tx, before.id, author)
    refuseOutside(limit, policy, before.who)
  }
  if (!next) return
  refuseOutside(limit, policy, next.who)
  if (next.more === null) {
    if (!isAsked) refuseLateEnd(limit, next.until)
    return refuseLong(tx, limit, author, policy, next)
  }
  // Its size was within the limit when it was made: it may end sooner.
  if (before && (next.until === null || readInstant(next.until)! > readInstant(before.until!)!))
    throw new ApiError('beyond-limit', 'What was added ends with the period of its allowance.')
  if (!before) await refuseTooMuch(tx, limit, author, policy, next)
}

/** Refuses whoever is not a device of the groups of the limit. */
export function refuseOutside(limit: HelperLimit, policy: Policy, who: OverrideWho): void {
  if (isWithin(limit, policy, who)) return
  const names = policy.groups.filter(({ id }) => limit.groups.includes(id)).map(({ name }) => name)
  const whom = names.length === 0 ? 'nobody: your groups were deleted' : `devices of ${names.join(', ')}`
  throw new ApiError('beyond-limit', `You may allow and block ${whom}.`)
}

function refuseLateEnd({ minutes }: HelperLimit, until: string | null): void {
  if (until === null || readInstant(until)! > Math.floor(Date.now() / 1000) + minutes * MINUTE)
    throw new ApiError('beyond-limit', `Choose ${minutes} minutes or less.`)
}

/**
 * Refuses what is longer than the limit together with what somebody made for any of the devices that is not
 * over.
 */
async function refuseLong(
  tx: Sql,
  { minutes }: HelperLimit,
  author: string,
  policy: Policy,
  next: Override,
): Promise<void> {
  const devices = devicesIn(policy, next.who)
  const times: Range[] = [timeOf(next)]
  for (const one of policy.overrides) {
    if (one.id === next.id || one.more !== null || one.effect !== next.effect) continue
    if ((await overrideAuthor(tx, one.id)) !== author) continue
    if ([...devicesIn(policy, one.who)].some((id) => devices.has(id))) times.push(timeOf(one))
  }
  if (secondsIn(clip(unite(times), Math.floor(Date.now() / 1000), Infinity)) > minutes * MINUTE)
    throw new ApiError('beyond-limit', `You may allow and block for ${minutes} minutes in all.`)
}

const timeOf = ({ from, until }: Override): Range => ({
  from: readInstant(from)!,
  until: until === null ? Infinity : readInstant(until)!,
})

async function refuseOthers(tx: Sql, id: string, author: string): Promise<void> {
  const maker = await overrideAuthor(tx, id)
  if (maker !== null && maker !== author)
    throw new ApiError(
      'beyond-limit',
      `Only ${maker}, an editor or an administrator can change this override.`,
    )
}

/**
 * Refuses more than the limit together with what somebody added before to any of the devices, and still
 * counts.
 */
async function refuseTooMuch(
  tx: Sql,
  limit: HelperLimit,
  author: string,
  policy: Policy,
  { more, who }: Override,
): Promise<void> {
  const devices = devicesIn(policy, who)
  let added = 0
  for (const one of policy.overrides) {
    const isOver = one.until !== null && readInstant(one.until)! <= Date.now() / 1000
    if (one.more === null || isOver || (await overrideAuthor(tx, one.id)) !== author) continue
    if ([...devicesIn(policy, one.who)].some((id) => devices.has(id))) added += sizeOf(one.more)
  }
  if ('megabytes' in more! || added + sizeOf(more!) > limit.minutes)
    throw new ApiError('beyond-limit', `You may add ${limit.minutes} minutes in all.`)
}

/** The devices that an override of a helper names, itself or by their groups. */
function devicesIn({ groups }: Policy, who: OverrideWho): Set<string> {
  const members = groups.filter(({ id }) => who.groups.includes(id)).flatMap((group) => group.members)
  return new Set([...who.devices, ...members])
}
