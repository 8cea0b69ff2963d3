import { LRUCache } from 'lru-cache'
import { digestOf } from '../../core/policy/canonical.ts'
import { readPolicy } from '../../core/policy/read.ts'
import { overridesFor, spentFor } from '../../core/policy/overrides.ts'
import { DAY } from '../../core/time/duration.ts'
import { instantText } from '../../core/time/instant.ts'
import type { Policy } from '../../core/policy/types.ts'
import type { LiveAnswer } from '../../protocol/answers.ts'
import type { Sql } from '../database/database.ts'
import { overrides } from './override-sql.ts'
import { place } from '../database/place-sql.ts'
import { spentSince } from './spent-sql.ts'
import { liveRevision, revision, revisions, revisionWithoutSites, type Revision } from './revision-sql.ts'
import { ApiError } from '../errors.ts'

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

/** Remembers the policy of a revision that was just made, by its digest. */
export function remember(digest: string, policy: Policy): void {
  ready.set(digest, policy)
}

type RevisionName = Pick<Revision, 'number' | 'digest'>

/** Reads the policy of a revision. */
export async function policyAt(sql: Sql, { number, digest }: RevisionName): Promise<Policy> {
  const policy = ready.get(digest) ?? checkedPolicy((await revision(sql, number))!.document)
  ready.set(digest, policy)
  return policy
}

/** Reads the policy of a revision, with lists that have no entries. */
export async function policyWithoutSites(sql: Sql, { number, digest }: RevisionName): Promise<Policy> {
  const key = `${digest} without sites`
  const policy = ready.get(key) ?? checkedPolicy((await revisionWithoutSites(sql, number))!.document)
  ready.set(key, policy)
  return policy
}

/** Returns the weight of a policy: one, and one for every device, rule and site. */
function weightOf({ devices, groups, schedules, rules, apps, siteLists }: Policy): number {
  const sites = siteLists.reduce((sum, { entries }) => sum + entries.length, 0)
  return 1 + [devices, groups, schedules, rules, apps].flat().length + sites
}

/**
 * Reads a policy document.
 *
 * @throws ApiError `malformed` with its faults
 */
export function checkedPolicy(document: unknown): Policy {
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
