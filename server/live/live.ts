import { LRUCache } from 'lru-cache'
import { randomBytes } from 'node:crypto'
import { canonicalText, digestOf, digestOfText, documentOf } from '../../core/policy/canonical.ts'
import { freeId } from '../../core/policy/id.ts'
import { readPolicy } from '../../core/policy/read.ts'
import { allowanceRules, measureOf } from '../../core/allowance/limits.ts'
import { periodAt } from '../../core/allowance/period.ts'
import { overridesFor, spentFor } from '../../core/policy/overrides.ts'
import { DAY } from '../../core/time/duration.ts'
import { instantText, readInstant } from '../../core/time/instant.ts'
import { overrideWords } from '../../core/words/override.ts'
import type { Amount, Override, Policy } from '../../core/policy/types.ts'
import type { Gateway } from '../../protocol/gateway/gateway.ts'
import type { HelperLimit } from '../../protocol/roles.ts'
import { proposalOf } from '../../protocol/gateway/proposal.ts'
import type { LiveAnswer } from '../../protocol/answers.ts'
import { tell, type Sql } from '../database/database.ts'
import { addOverride, endOverrideAt, liftOverride, overrides } from './override-sql.ts'
import { place } from '../database/place-sql.ts'
import { spentSince } from './spent-sql.ts'
import {
  addRevision,
  liveRevision,
  revision,
  revisions,
  revisionWithoutSites,
  type Revision,
} from './revision-sql.ts'
import { readDraft } from '../draft/draft.ts'
import { record } from '../accounts/audit.ts'
import { ApiError } from '../errors.ts'
import { refuseBeyond } from './helper-limit.ts'

export { overrideActs } from './override-sql.ts'
export { revisions } from './revision-sql.ts'

/**
 * Returns the live policy: the latest revision with the overrides beside it. Before the first one a policy that
 * restricts nobody.
 */
export async function readLive(sql: Sql): Promise<LiveAnswer> {
  const { policy, latest } = await livePolicy(sql)
  return {
    policy,
    digest: digestOfLive(policy, latest?.digest ?? ''),
    revision: latest && {
      number: latest.number,
      author: latest.author,
      note: latest.note,
      createdAt: latest.createdAt,
    },
  }
}

// Over a million names a digest takes half a second, and every page asks: by its revision and overrides it
// is the same.
const digests = new LRUCache<string, string>({ max: 20 })
function digestOfLive(policy: Policy, revision: string): string {
  if (revision === '') return digestOf(policy)
  const key = `${revision} ${JSON.stringify(policy.overrides)}`
  const known = digests.get(key) ?? digestOf(policy)
  digests.set(key, known)
  return known
}

/** The past for which the live policy says when allowances were used up. */
const SPENT_PAST_SECONDS = 8 * DAY

/** Returns the live policy without its digest, which takes half a second over long lists. */
export async function livePolicy(sql: Sql) {
  const latest = await liveRevision(sql)
  const base = latest ? await policyAt(sql, latest) : await emptyPolicy(sql)
  const spent = spentFor(
    base,
    await spentSince(sql, instantText(Math.floor(Date.now() / 1000) - SPENT_PAST_SECONDS)),
  )
  return { policy: { ...base, overrides: overridesFor(base, await overrides(sql)), spent }, latest }
}

/**
 * Puts the draft, or what an earlier revision said, live as a new revision. A gateway that answers is asked
 * first, and where it refuses nothing changes; one that is away gets it when it is back.
 *
 * @throws ApiError `nothing-to-put-live`, `refused-by-gateway`, `not-found`
 */
export async function putLive(
  sql: Sql,
  gateway: Gateway,
  author: string,
  note: string,
  again?: number,
): Promise<number> {
  const draft =
    again === undefined ? checked(documentOf(await readDraft(sql))) : await revisionPolicy(sql, again)
  return makeLive(sql, gateway, draft, author, note, again)
}

/**
 * Makes a policy live as a new revision, as `putLive` does.
 *
 * @throws ApiError `nothing-to-put-live`, `refused-by-gateway`
 */
export async function makeLive(
  sql: Sql,
  gateway: Gateway,
  next: Policy,
  author: string,
  note: string,
  again?: number,
): Promise<number> {
  const { policy: live, latest } = await livePolicy(sql)
  const document = canonicalText(next)
  const digest = digestOfText(document)
  if (latest?.digest === digest) throw new ApiError('nothing-to-put-live')
  const proposed = { ...next, overrides: overridesFor(next, live.overrides) }
  const faults = await gateway.check(proposalOf(proposed)).catch(() => null)
  if (faults) {
    await record(sql, 'apply', 'The gateway refused what was to be applied')
    throw new ApiError('refused-by-gateway', '', faults)
  }
  const number = await sql.transaction(async (tx) => {
    const made = await addRevision(tx, { digest, document, author, note })
    const what = again === undefined ? 'applied' : `applied, which is revision ${again} again`
    await record(tx, 'apply', `Revision ${made.number} ${what}${note === '' ? '' : `: ${note}`}`)
    return made.number
  })
  ready.set(digest, next)
  await tell(sql, 'live')
  return number
}

/**
 * An override as it is asked for: from an instant to come, or from now on (`null`), until an instant, for so
 * many seconds, or until it is ended (both `null`).
 */
export type OverrideWish = Pick<Override, 'effect' | 'who' | 'note'> & {
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
  { effect, who, more = null, note, ...wish }: OverrideWish,
  author: string,
  limit: HelperLimit | null = null,
  isAsked = false,
): Promise<string> {
  // Looked at and written in one: two helpers, or one twice, do not both find room for the last minutes.
  return sql.transaction(async (tx) => {
    const { policy } = await livePolicy(tx)
    const override = overrideOf(policy, { effect, who, more, note, ...wish })
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
function overrideOf(policy: Policy, { effect, who, more = null, note, ...wish }: OverrideWish): Override {
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
    more,
    note,
    from: instantText(from),
    until: until === null ? null : instantText(until),
  }
  if (overridesFor(policy, [override]).length === 0)
    throw new ApiError('unknown-part', 'Apply the device first.')
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

/**
 * The policy of a revision, without overrides.
 *
 * @throws ApiError `not-found`
 */
export async function revisionPolicy(sql: Sql, number: number): Promise<Policy> {
  const found = (await revisions(sql)).find((one) => one.number === number)
  if (!found) throw new ApiError('not-found', `There is no revision ${number}.`)
  return policyAt(sql, found)
}

/** The size of the cache of policies, in entries of their lists of every kind. */
const MAX_CACHED_ENTRIES = 3_000_000
// A revision never changes, and reading one may take seconds: by its digest it is the same policy, whoever
// asks.
const ready = new LRUCache<string, Policy>({ maxSize: MAX_CACHED_ENTRIES, sizeCalculation: weightOf })

type RevisionName = Pick<Revision, 'number' | 'digest'>

/** Reads the policy of a revision. */
export async function policyAt(sql: Sql, { number, digest }: RevisionName): Promise<Policy> {
  const policy = ready.get(digest) ?? checked((await revision(sql, number))!.document)
  ready.set(digest, policy)
  return policy
}

/** Reads the policy of a revision, with lists that have no entries. */
export async function policyWithoutSites(sql: Sql, { number, digest }: RevisionName): Promise<Policy> {
  const key = `${digest} without sites`
  const policy = ready.get(key) ?? checked((await revisionWithoutSites(sql, number))!.document)
  ready.set(key, policy)
  return policy
}

/** Returns the weight of a policy: one, and one for every device, rule and site. */
function weightOf({ devices, groups, schedules, rules, apps, siteLists }: Policy): number {
  const sites = siteLists.reduce((sum, { entries }) => sum + entries.length, 0)
  return 1 + [devices, groups, schedules, rules, apps].flat().length + sites
}

function checked(document: unknown): Policy {
  const result = readPolicy(document)
  if ('policy' in result) return result.policy
  throw new ApiError('malformed', 'The policy has faults.', result.faults)
}

/**
 * A policy of this place that restricts nobody.
 *
 * @throws ApiError `not-set-up`
 */
export async function emptyPolicy(sql: Sql): Promise<Policy> {
  const here = await place(sql)
  if (!here) throw new ApiError('not-set-up')
  return {
    kairostat: 1,
    place: here,
    devices: [],
    networks: [],
    groups: [],
    schedules: [],
    siteLists: [],
    apps: [],
    rules: [],
    overrides: [],
    spent: [],
  }
}
