import { randomBytes } from 'node:crypto'
import { freeId } from '../../core/policy/id.ts'
import { allowanceRules, measureOf } from '../../core/allowance/limits.ts'
import { periodAt } from '../../core/allowance/period.ts'
import { overridesFor } from '../../core/policy/overrides.ts'
import { instantText, readInstant } from '../../core/time/instant.ts'
import { overrideWords } from '../../core/words/override.ts'
import type { Amount, Override, Policy, What } from '../../core/policy/types.ts'
import type { HelperLimit } from '../../protocol/roles.ts'
import { tell, type Sql } from '../database/database.ts'
import { addOverride, endOverrideAt, liftOverride, overrides } from './override-sql.ts'
import { record } from '../accounts/audit.ts'
import { ApiError } from '../errors.ts'
import { refuseBeyond } from './helper-limit.ts'
import { livePolicy } from './live.ts'

export { overrideActs } from './override-sql.ts'

/**
 * An override as it is asked for: from an instant to come, or from now on (`null`), until an instant, for so
 * many seconds, or until it is ended (both `null`).
 */
export type OverrideWish = Pick<Override, 'effect' | 'who' | 'note'> & {
  /** The part that it is on; `null` or missing = the internet as a whole. */
  readonly what?: What | null
  /** The amount that it adds to allowances; it then ends with the last of their periods. */
  readonly more?: Amount | null
  readonly from: string | null
  readonly until: string | null
  readonly lasts: number | null
}

/**
 * Makes an override; what is now is said by this machine's clock alone.
 *
 * @param limit what a helper may do; `null` = anything
 * @returns its id
 * @throws ApiError `unknown-part` where it names what is not live, `not-possible` where it would end before
 *   it begins, `beyond-limit`
 */
export async function makeOverride(
  sql: Sql,
  wish: OverrideWish,
  author: string,
  limit: HelperLimit | null = null,
  isAsked = false,
): Promise<string> {
  // Looked at and written in one: two helpers, or one twice, do not both find room for the last minutes.
  return sql.transaction(async (tx) => {
    const { policy } = await livePolicy(tx)
    const override = overrideOf(policy, wish)
    await refuseBeyond(tx, limit, author, { policy, next: override, before: null, isAsked })
    await addOverride(tx, override, author)
    await record(tx, 'override', overrideWords(override, policy))
    await tell(tx, 'live')
    return override.id
  })
}

/**
 * The override that is asked for.
 *
 * @throws ApiError `unknown-part`, `not-possible`
 */
function overrideOf(
  policy: Policy,
  { effect, who, what = null, more = null, note, ...wish }: OverrideWish,
): Override {
  const now = Math.floor(Date.now() / 1000)
  // An override that would have begun already begins now: the past is not changed.
  const from = Math.max(now, wish.from === null ? now : readInstant(wish.from)!)
  let until
  if (more !== null) until = endOfMore(policy, more, from)
  else if (wish.lasts !== null) until = from + wish.lasts
  else if (wish.until === null) until = null
  else until = readInstant(wish.until)!
  if (until !== null && until <= from)
    throw notPossible('until', `"${wish.until}" is not after it begins, which is at ${instantText(from)}`)
  // Two people may ask in the same second.
  const id = freeId(
    `override-${instantText(from)}-${randomBytes(3).toString('hex')}`,
    policy.rules.map((entry) => entry.id),
  )
  const override = {
    id,
    effect,
    who,
    what,
    more,
    note,
    from: instantText(from),
    until: until === null ? null : instantText(until),
  }
  if (what !== null && more !== null)
    throw notPossible(
      'what',
      'stands beside "more", which adds to allowances whatever they are of: leave one out',
    )
  if (overridesFor(policy, [{ ...override, what: null }]).length === 0)
    throw new ApiError('unknown-part', 'Apply the device first.')
  if (overridesFor(policy, [override]).length === 0)
    throw new ApiError('unknown-part', 'Apply the list or app first.')
  return override
}

/**
 * Lengthens or shortens an override; `until` is an instant to come, or `null` until it is ended. A helper may
 * do so with their own, within the limit.
 *
 * @throws ApiError `not-found`, `not-possible`, `beyond-limit`
 */
export async function changeOverride(
  sql: Sql,
  id: string,
  until: string | null,
  author: string,
  limit: HelperLimit | null = null,
): Promise<void> {
  const at = until === null ? Infinity : readInstant(until)
  if (at === null || at <= Date.now() / 1000)
    throw notPossible(
      'until',
      `"${until}" is not an instant to come: write one as in 2026-11-27T20:00:00Z, or end the override`,
    )
  await sql.transaction(async (tx) => {
    const { policy, override } = await overrideThere(tx, id)
    if (at <= readInstant(override.from)!)
      throw notPossible('until', `"${until}" is not after it begins, which is at ${override.from}`)
    const next = { ...override, until }
    await refuseBeyond(tx, limit, author, { policy, next, before: override })
    if (!(await endOverrideAt(tx, id, until, author))) throw noOverride()
    await record(tx, 'override', `End moved: ${overrideWords(next, policy)}`)
    await tell(tx, 'live')
  })
}

/**
 * An override that has not ended, with the policy in which it counts.
 *
 * @throws ApiError `not-found`
 */
async function overrideThere(tx: Sql, id: string): Promise<{ policy: Policy; override: Override }> {
  const { policy } = await livePolicy(tx)
  const override = (await overrides(tx)).find((one) => one.id === id)
  if (!override) throw noOverride()
  return { policy, override }
}
const noOverride = () => new ApiError('not-found', 'That override has ended already.')

/**
 * Returns the end of an addition to allowances, in seconds: with the last of their periods.
 *
 * @throws ApiError `not-possible` where no rule has such an allowance
 */
function endOfMore(policy: Policy, more: Amount, from: number): number {
  const ends = allowanceRules(policy)
    .filter(({ after }) => measureOf(after) === measureOf(more))
    .map(({ after }) => periodAt(after, policy.place.timeZone, from).until)
  if (ends.length === 0)
    throw notPossible('more', `adds ${Object.keys(more)[0]}, and no live rule has an allowance of these`)
  return Math.max(...ends)
}

const notPossible = (path: string, message: string) => new ApiError('not-possible', '', [{ path, message }])

/**
 * Ends an override now; a helper's own alone, where there is a limit.
 *
 * @throws ApiError `not-found`, `beyond-limit`
 */
export async function endOverride(
  sql: Sql,
  id: string,
  author: string,
  limit: HelperLimit | null = null,
): Promise<void> {
  await sql.transaction(async (tx) => {
    const { policy, override } = await overrideThere(tx, id)
    await refuseBeyond(tx, limit, author, { policy, next: null, before: override })
    if (!(await liftOverride(tx, id, author))) throw noOverride()
    await record(tx, 'override', `Ended: ${overrideWords(override, policy)}`)
    await tell(tx, 'live')
  })
}
