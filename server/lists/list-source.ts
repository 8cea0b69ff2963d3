import { errorText } from '../../core/words/error-text.ts'
import type { Mutex } from 'async-mutex'
import { gather } from '../../core/decision/candidate.ts'
import type { Policy } from '../../core/policy/types.ts'
import type { Gateway } from '../../protocol/gateway/gateway.ts'
import type { GivenSource, ListSourceAnswer } from '../../protocol/list-source.ts'
import { MACHINE_NAMES } from '../../protocol/people.ts'
import { siteLists, saveSiteList } from '../draft/list-sql.ts'
import { tell, type Sql } from '../database/database.ts'
import { touchParts } from '../draft/draft-part-sql.ts'
import {
  listSource,
  listSources,
  noteChanged,
  noteChecked,
  removeListSource,
  saveListSource,
  saveZoneCopy,
  setWaiting,
  waitingList,
  zoneCopy,
  type StoredSource,
} from './list-source-sql.ts'
import { record } from '../accounts/audit.ts'
import { ApiError } from '../errors.ts'
import { markOf } from './list-compare.ts'
import { fetchList, ListFault } from './list-fetch.ts'
import { compareInThread, transferInThread } from './list-thread.ts'
import { livePolicy } from '../live/live.ts'
import { makeLive } from '../live/apply.ts'
import { notify } from '../outbox/notify.ts'
import { readKey } from './zones/tsig.ts'
import { isZoneAddress } from './zones/zone-transfer.ts'

/** The author of revisions that a refreshed list makes. */
export const [REFRESHER] = MACHINE_NAMES
export { listSources }

/** The place of a list that is refreshed. */
export interface ListPlace {
  readonly sql: Sql
  readonly gateway: Gateway
  /** Held while a list is used: each makes a revision of what is live. */
  readonly listLock: Mutex
}

/**
 * Every source and what became of it; who may not edit them is not shown what is asked there, which may be
 * a secret.
 */
export async function shownSources(sql: Sql, mayEdit: boolean): Promise<ListSourceAnswer[]> {
  return (await listSources(sql)).map((source) => ({ ...source, url: shownUrl(source.url, mayEdit) }))
}

/** The mark in the place of a secret in an address. */
const HIDDEN = '…'
/** An address as it is shown: a password never is. */
function shownUrl(text: string, mayEdit: boolean): string {
  const url = new URL(text)
  if (url.password === '' && (mayEdit || url.search === '')) return text
  const { protocol, username, password, host, pathname, search } = url
  const who = username || password ? `${username}${password && `:${HIDDEN}`}@` : ''
  return `${protocol}//${who}${host}${pathname}${search && (mayEdit ? search : `?${HIDDEN}`)}`
}

/**
 * Sets where a list comes from; it is asked by the next look.
 *
 * @throws ApiError `not-found` where the draft has no such list
 */
export async function putListSource(sql: Sql, list: string, source: GivenSource): Promise<void> {
  const name = await nameIn(sql, list)
  await sql.transaction(async (tx) => {
    const before = await listSource(tx, list)
    // A masked secret that comes back unchanged stays the stored one.
    const url = before && source.url === shownUrl(before.url, true) ? before.url : source.url
    await saveListSource(tx, list, { ...source, url })
    if (before?.url !== url) await saveZoneCopy(tx, list, null)
    // The query of an address may be a secret.
    const { protocol, host, pathname } = new URL(source.url)
    await record(tx, 'settings', `Site list “${name}” comes from ${protocol}//${host}${pathname}`)
    await tell(tx, 'lists')
  })
}

/**
 * Takes the source of a list away; the list stays as it is.
 *
 * @throws ApiError `not-found`
 */
export async function dropListSource(sql: Sql, list: string): Promise<void> {
  await sql.transaction(async (tx) => {
    if (!(await removeListSource(tx, list))) throw noSource()
    await record(
      tx,
      'settings',
      `Site list “${await nameIn(tx, list).catch(() => list)}” has no source any longer`,
    )
    await tell(tx, 'lists')
  })
}

/**
 * Asks the source of a list, and puts what changed live, or lets it wait for review. What went wrong is kept
 * beside the source: the last good list stays.
 *
 * @throws ApiError `not-found` where it has no source
 */
export async function refreshList(here: ListPlace, list: string, fetcher = fetchList): Promise<void> {
  const { sql, listLock } = here
  const source = await listSource(sql, list)
  if (!source) throw noSource()
  let trouble = ''
  let { etag, modified } = source
  try {
    // A server that is slow holds up no other list.
    if (isZoneAddress(source.url)) await takeZone(here, source)
    else {
      const fetched = await fetcher(source.url, source, source.inside)
      const { text } = fetched
      if (text !== null) await listLock.runExclusive(() => takeText(here, source, text))
      ;({ etag, modified } = fetched)
    }
  } catch (error) {
    // Whatever it is, it is noted: one list holds up no other.
    if (error instanceof ListFault) trouble = `${error.message}.`
    else if (error instanceof ApiError) trouble = error.message
    else trouble = `Something went wrong on the server: ${errorText(error)}.`
  }
  await noteChecked(sql, list, { etag, modified, trouble })
  if (trouble !== '' && source.trouble === '')
    await notify(
      sql,
      'list',
      `The list “${await nameIn(sql, list).catch(() => list)}” was not refreshed. ${trouble}`,
    )
  await tell(sql, 'lists')
}

/**
 * Puts live what waits of a list, or declines it: it is not asked about again while the source says the same.
 *
 * @throws ApiError `not-found`, `refused-by-gateway`
 */
export function reviewList(here: ListPlace, list: string, isTaken: boolean): Promise<void> {
  const { sql, listLock } = here
  return listLock.runExclusive(async () => {
    const waiting = await waitingList(sql, list)
    if (!waiting) throw new ApiError('not-found', 'Nothing waits for review there any more.')
    const name = await nameIn(sql, list)
    if (isTaken) await applyEntries(here, list, waiting.entries, waiting)
    else await setWaiting(sql, list, null, markOf(waiting.entries))
    await record(sql, 'apply', `Refresh of the list “${name}” ${isTaken ? 'used' : 'declined'} after review`)
    await tell(sql, 'lists')
  })
}

/** Takes what is new of a zone; what it was is kept, so that afterwards changes alone are asked for. */
async function takeZone(here: ListPlace, source: StoredSource): Promise<void> {
  const { sql, listLock } = here
  const copy = await transferInThread(
    { url: source.url, key: readKey(source.key) },
    await zoneCopy(sql, source.list),
  )
  if (copy === null) return
  await listLock.runExclusive(async () => {
    await takeText(here, source, `$TTL 300\n${copy.text}\n`)
    await saveZoneCopy(sql, source.list, copy)
  })
}

async function takeText(here: ListPlace, source: StoredSource, text: string): Promise<void> {
  const { sql } = here
  const before = (await siteLists(sql)).find(({ id }) => id === source.list)
  if (!before)
    throw new ApiError('not-found', 'The list is deleted from the draft: restore it, or remove its source.')
  const { policy } = await livePolicy(sql)
  const live = policy.siteLists.find(({ id }) => id === source.list) ?? before
  const needed = neededBy(policy, source.list)
  const found = await compareInThread({
    text,
    before: live.entries.join('\n'),
    share: source.share,
    needed: needed.names.join('\n'),
    own: needed.own.join('\n'),
  })
  if ('fault' in found) throw new ListFault(found.fault)
  if (found.same || source.declined === found.mark) return
  const { mark, why, added, removed, sample } = found
  const entries = found.entries.split('\n')
  if (why === null) return applyEntries(here, source.list, entries, { added, removed })
  const isNews = markOf((await waitingList(sql, source.list))?.entries ?? []) !== mark
  await setWaiting(sql, source.list, { added, removed, entries, sample, why })
  if (isNews) await notify(sql, 'list', `A refresh of the list “${before.name}” waits for review. ${why}`)
}

/**
 * Returns the sites that allow rules need: of other lists, apps and their own; and those of this list itself.
 */
function neededBy(policy: Policy, list: string) {
  const allowing = policy.rules.filter(({ effect, enabled }) => enabled && effect === 'allow')
  const names = allowing.flatMap(
    ({ what }) => gather(policy, { ...what, siteLists: what.siteLists.filter((id) => id !== list) }).sites,
  )
  const isOwn = allowing.some(({ what }) => what.siteLists.includes(list))
  const own = isOwn ? (policy.siteLists.find(({ id }) => id === list)?.entries ?? []) : []
  return { names, own }
}

/**
 * Gives a list other entries: in the draft, and where it is live as a revision of its own.
 *
 * @throws ApiError `refused-by-gateway`
 */
async function applyEntries(
  { sql, gateway }: ListPlace,
  id: string,
  entries: readonly string[],
  { added, removed }: { added: number; removed: number },
): Promise<void> {
  const { policy, latest } = await livePolicy(sql)
  const list = policy.siteLists.find((one) => one.id === id)
  if (latest && list) {
    const next = {
      ...policy,
      siteLists: policy.siteLists.map((one) => (one === list ? { ...one, entries } : one)),
      overrides: [],
      spent: [],
    }
    await makeLive(sql, gateway, next, REFRESHER, `${list.name}: +${added}, −${removed}`)
  }
  await sql.transaction(async (tx) => {
    const drafted = (await siteLists(tx)).find((one) => one.id === id)
    if (drafted) {
      await saveSiteList(tx, { ...drafted, entries })
      await touchParts(tx, ['siteLists'])
    }
    await noteChanged(tx, id, { added, removed })
  })
}

async function nameIn(sql: Sql, id: string): Promise<string> {
  const list = (await siteLists(sql)).find((one) => one.id === id)
  if (!list) throw new ApiError('not-found', 'The draft has no such list.')
  return list.name
}

const noSource = () => new ApiError('not-found', 'This list has no source.')
