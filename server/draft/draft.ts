import { entriesBetween } from '../../core/change/entries.ts'
import { ENTRY_KINDS, KINDS, type EntryKind, type NamedKind } from '../../core/policy/kinds.ts'
import { versionTag } from '../../core/policy/canonical.ts'
import { freeId } from '../../core/policy/id.ts'
import type { AppEdits, RuleEdits } from '../../protocol/edits.ts'
import { placeRules } from '../../core/policy/pair.ts'
import { replaced, replaceIn } from '../../core/policy/replace.ts'
import type { App, Group, Network, Place, Policy, Rule, Schedule, SiteList } from '../../core/policy/types.ts'
import type { DraftPartsAnswer } from '../../protocol/answers.ts'
import type { Sql } from '../database/database.ts'
import { devices, freeAdapters, groups } from './device-sql.ts'
import { partMarks, type DraftPart } from './draft-part-sql.ts'
import { apps, briefLists, siteLists } from './list-sql.ts'
import { networks } from './network-sql.ts'
import { place } from '../database/place-sql.ts'
import { rules } from './rule-sql.ts'
import { schedules } from './schedule-sql.ts'
import { edit, type Edit, type Made } from './edit.ts'
import { ApiError } from '../errors.ts'

/**
 * The draft as a policy, without overrides, which are not part of it.
 *
 * @throws ApiError `not-set-up` before the place has a name
 */
export async function readDraft(sql: Sql): Promise<Policy> {
  const { parts } = await readParts(sql, '', siteLists)
  return { kairostat: 1, ...(parts as Required<typeof parts>), overrides: [], spent: [] }
}

/**
 * The parts of the draft that are not as a mark of it says, all as they are at one moment, with the mark that
 * says so; of an empty mark, all. Site lists are those of `lists`: for pages long ones without their sites.
 *
 * @throws ApiError `not-set-up`
 */
export function readParts(
  sql: Sql,
  mark: string,
  lists: (sql: Sql) => Promise<SiteList[]> = briefLists,
): Promise<DraftPartsAnswer> {
  return sql.transaction(async (tx) => {
    const marks = await partMarks(tx)
    const known = new Set(mark.split('.'))
    const parts: { [K in DraftPart]?: Policy[K] } = {}
    for (const { part } of marks.filter((one) => !known.has(one.mark)))
      Object.assign(parts, { [part]: await (part === 'siteLists' ? lists : READ[part])(tx) })
    if (parts.place === null) throw new ApiError('not-set-up')
    return { mark: marks.map((one) => one.mark).join('.'), parts: parts as DraftPartsAnswer['parts'] }
  })
}
const READ: Readonly<Record<Exclude<DraftPart, 'siteLists'>, (sql: Sql) => Promise<unknown>>> = {
  place,
  devices,
  networks,
  groups,
  schedules,
  apps,
  rules,
}

/** Changes name and time zone of the place. */
export const changePlace = (sql: Sql, changed: Place) => edit(sql, (draft) => draft.place(changed))

/**
 * Adds a group (`id` = null) or replaces one, with a `mark` only while it is as that says.
 *
 * @returns its id
 * @throws ApiError `not-found`, `changed-meanwhile`
 */
export const putGroup = (sql: Sql, id: string | null, form: Omit<Group, 'id'>, mark?: string) =>
  put(sql, 'group', id, form, mark)

/** Adds a network or replaces one, as with a group. */
export const putNetwork = (sql: Sql, id: string | null, form: Omit<Network, 'id'>, mark?: string) =>
  put(sql, 'network', id, form, mark)

/** Adds a schedule or replaces one, as with a group. */
export const putSchedule = (sql: Sql, id: string | null, form: Omit<Schedule, 'id'>, mark?: string) =>
  put(sql, 'schedule', id, form, mark)

/** Adds a rule at the end or replaces one, as with a group. */
export const putRule = (sql: Sql, id: string | null, form: Omit<Rule, 'id'>, mark?: string) =>
  put(sql, 'rule', id, form, mark)

/** Adds a site list or replaces one, as with a group. */
export const putSiteList = (sql: Sql, id: string | null, form: Omit<SiteList, 'id'>, mark?: string) =>
  put(sql, 'siteList', id, form, mark)

/** Adds an app or replaces one, as with a group. */
export const putApp = (sql: Sql, id: string | null, form: Omit<App, 'id'>, mark?: string) =>
  put(sql, 'app', id, form, mark)

/**
 * Puts the rules into a new order, which names each once; with a `mark` only while their order is as that
 * says.
 *
 * @throws ApiError `changed-meanwhile`
 */
export const sortRules = (sql: Sql, ids: readonly string[], mark?: string) =>
  edit(sql, async (draft) => {
    const entries = (await draft.all('rule')).map(({ id }) => id)
    const isWhole =
      ids.length === entries.length &&
      new Set(ids).size === ids.length &&
      entries.every((id) => ids.includes(id))
    if (!isWhole || (mark !== undefined && mark !== versionTag(entries)))
      throw new ApiError('changed-meanwhile')
    await draft.order('rule', ids)
  })

/**
 * Adds and replaces several apps, all or none.
 *
 * @returns their ids
 * @throws ApiError `not-found`, `changed-meanwhile`
 */
export function changeApps(sql: Sql, { edits }: AppEdits): Promise<Made & { ids: string[] }> {
  return edit(sql, async (draft) => {
    const ids: string[] = []
    for (const { id, app, mark } of edits) {
      const entries = await draft.all('app')
      ids.push(keyOf(entries, new Set(entries.map((entry) => entry.id)), id, app.name, mark))
      await draft.put('app', { ...app, id: ids.at(-1)! })
    }
    return { ids }
  })
}

/**
 * Adds and replaces several rules, each in its place, and takes some out: all or none.
 *
 * @returns the ids of those that were put
 * @throws ApiError `not-found`, `changed-meanwhile`
 */
export function changeRules(sql: Sql, { edits, takeOut }: RuleEdits): Promise<Made & { ids: string[] }> {
  return edit(sql, async (draft) => {
    const placed: Rule[] = []
    const entries = await draft.all('rule')
    for (const { id, rule, mark } of edits)
      placed.push({
        ...rule,
        id: keyOf(entries, new Set([...entries, ...placed].map((entry) => entry.id)), id, rule.name, mark),
      })
    for (const rule of placed) await draft.put('rule', rule)
    for (const id of takeOut) await draft.remove('rule', id)
    const order = placeRules(entries, placed, takeOut).map(({ id }) => id)
    if ((await draft.all('rule')).some(({ id }, index) => id !== order[index]))
      await draft.order('rule', order)
    return { ids: placed.map(({ id }) => id) }
  })
}

/**
 * Takes something out of the draft. Without `instead` it throws `in-use` where rules name it; with `instead`
 * they and the groups name that in its place, with `null` nothing in its place.
 *
 * @throws ApiError `not-found`, and `in-use` also where a rule would be left without hours
 */
export function removeEntry(
  sql: Sql,
  kind: NamedKind | 'rule',
  id: string,
  instead?: string | null,
): Promise<Made> {
  return edit(sql, (draft) =>
    kind === 'rule' ? draft.remove('rule', id) : removeWithUses(draft, kind, id, instead),
  )
}

/** Makes the draft say what a policy says (its overrides left aside), as one edit that can be undone. */
export function takeIntoDraft(sql: Sql, policy: Policy): Promise<Made> {
  return edit(sql, async (draft) => {
    await rewrite(draft, policy)
  })
}

/**
 * Makes an edit of all in which the draft differs from a policy, its overrides left aside.
 *
 * @returns whether there is anything
 */
export async function rewrite(draft: Edit, policy: Policy): Promise<boolean> {
  const lists = [] as [string, unknown][]
  for (const kind of KINDS) lists.push([ENTRY_KINDS[kind].key, await draft.all(kind)])
  const was: Policy = { ...policy, ...Object.fromEntries(lists), place: (await place(draft.sql))! }
  const changes = entriesBetween(was, policy)
  if (changes.some(({ kind }) => kind === 'place')) await draft.place(policy.place)
  // Addresses may have changed hands, so they are given out anew; the entries as they were are read already.
  await freeAdapters(
    draft.sql,
    changes.flatMap(({ kind, id }) => (kind === 'device' ? [id] : [])),
  )
  // Rules stand last, since they name the rest.
  for (const kind of KINDS) {
    const changed = new Set(changes.flatMap((one) => (one.kind === kind ? [one.id] : [])))
    for (const entry of policy[ENTRY_KINDS[kind].key])
      if (changed.has(entry.id)) await draft.put(kind, entry as never)
  }
  for (const kind of KINDS.toReversed()) {
    for (const change of changes)
      if (change.kind === kind && change.change === 'removed') await draft.remove(kind, change.id)
    const order = policy[ENTRY_KINDS[kind].key].map(({ id }) => id)
    const now = (await draft.all(kind)).map(({ id }) => id)
    if (now.join('\n') !== order.join('\n')) await draft.order(kind, order)
  }
  return changes.length > 0
}

/**
 * Removes an entry of the draft, and what names it: with another in its place, or with `null` nothing.
 *
 * @throws ApiError `in-use` where rules name it and nothing is said of that, or one would be left without a
 *   schedule
 */
export async function removeWithUses(
  draft: Edit,
  kind: NamedKind,
  id: string,
  instead: string | null | undefined,
): Promise<void> {
  const users = (await draft.all('rule')).flatMap((rule) => {
    const next = replaceIn(rule, kind, id, instead ?? null)
    return next && versionTag(next) === versionTag(rule) ? [] : [{ rule, next }]
  })
  const names = (some: typeof users) => some.map(({ rule }) => `“${rule.name}”`).join(', ')
  if (users.length > 0 && instead === undefined) throw new ApiError('in-use', `Used by ${names(users)}.`)
  const bare = users.filter(({ next }) => next === null)
  if (bare.length > 0)
    throw new ApiError(
      'in-use',
      `Without it ${names(bare)} would have no schedule left: choose a replacement.`,
    )
  for (const { next } of users) await draft.put('rule', next!)
  if (kind === 'device') {
    for (const group of await draft.all('group')) {
      if (group.members.includes(id))
        await draft.put('group', { ...group, members: replaced(group.members, id, instead ?? null) })
    }
  }
  await draft.remove(kind, id)
}

function put(
  sql: Sql,
  kind: Exclude<EntryKind, 'device'>,
  id: string | null,
  form: { name: string },
  mark?: string,
): Promise<Made & { id: string }> {
  return edit(sql, async (draft) => {
    const entries = await draft.all(kind)
    const key = keyOf(entries, new Set(entries.map((entry) => entry.id)), id, form.name, mark ?? null)
    await draft.put(kind, { ...form, id: key } as never)
    return { id: key }
  })
}

/**
 * The id of an entry that is put: a free one by its name for a new one (`id` = null).
 *
 * @param taken the ids that are given out
 * @param mark that of the entry as the editor knew it: where it is another now, somebody else was quicker
 * @throws ApiError `not-found`, `changed-meanwhile`
 */
export function keyOf(
  entries: readonly { id: string }[],
  taken: ReadonlySet<string>,
  id: string | null,
  name: string,
  mark: string | null,
): string {
  if (id === null) return freeId(name, taken)
  const now = entries.find((entry) => entry.id === id)
  if (!now) throw new ApiError('not-found', `The draft has no “${id}”.`)
  if (mark !== null && mark !== versionTag(now)) throw new ApiError('changed-meanwhile')
  return id
}
