import { Mutex } from 'async-mutex'
import { gather } from '../../core/decision/candidate.ts'
import { digestOfText } from '../../core/policy/canonical.ts'
import { readSites } from '../../core/import/site-list.ts'
import { blockCovers, readBlock } from '../../core/destination/address.ts'
import { namesAbove } from '../../core/destination/host.ts'
import type { Policy, SiteList } from '../../core/policy/types.ts'
import type { Gateway } from '../../protocol/gateway.ts'
import type { GivenSource, ListSource } from '../../protocol/list-source.ts'
import { siteLists, saveSiteList } from '../sql/list.ts'
import { tell, type Sql } from '../sql/database.ts'
import { touchParts } from '../sql/draft-part.ts'
import {
  listSource,
  noteChanged,
  noteChecked,
  removeListSource,
  saveListSource,
  saveZoneCopy,
  setWaiting,
  waitingList,
  zoneCopy,
  type StoredSource,
} from '../sql/list-source.ts'
import { record } from './audit.ts'
import { ApiError } from './errors.ts'
import { fetchList, ListFault } from './list-fetch.ts'
import { livePolicy, makeLive } from './live.ts'
import { notify } from './notices.ts'
import { readKey } from './tsig.ts'
import { isZoneAddress, transferZone } from './zone-transfer.ts'

export { listSources } from '../sql/list-source.ts'

/** Who is said to have made a revision of a list that was refreshed. */
export const REFRESHER = 'list refreshed'
/** How many sites of a change are shown by name. */
const SAMPLE = 20
/** The share of lines that may be unreadable before a text is taken for no list. */
const MOST_UNREAD = 0.1

/** What a list says now beside what it said before. */
interface Difference {
  readonly added: readonly string[]
  readonly removed: readonly string[]
}

/** One refresh at a time: each makes a revision of what is live. */
const refreshing = new Mutex()

/**
 * Sets where a list comes from; it is asked by the next look.
 *
 * @throws ApiError `not-found` where the draft has no such list
 */
export async function putListSource(sql: Sql, list: string, source: GivenSource): Promise<void> {
  const name = await nameIn(sql, list)
  await sql.transaction(async (tx) => {
    const before = await listSource(tx, list)
    await saveListSource(tx, list, source)
    if (before?.url !== source.url) await saveZoneCopy(tx, list, null)
    // What is asked there may be a secret.
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
export function refreshList(sql: Sql, gateway: Gateway, list: string, fetcher = fetchList): Promise<void> {
  return refreshing.runExclusive(async () => {
    const source = await listSource(sql, list)
    if (!source) throw noSource()
    let trouble = ''
    let { etag, modified } = source
    try {
      if (isZoneAddress(source.url)) await takeZone(sql, gateway, source)
      else {
        const fetched = await fetcher(source.url, source, source.inside)
        if (fetched.text !== null) await takeText(sql, gateway, source, fetched.text)
        ;({ etag, modified } = fetched)
      }
    } catch (error) {
      if (!(error instanceof ListFault) && !(error instanceof ApiError)) throw error
      trouble = error instanceof ApiError ? error.message : `${error.message}.`
    }
    await noteChecked(sql, list, { etag, modified, trouble })
    if (trouble !== '' && source.trouble === '')
      await notify(
        sql,
        'list',
        `The list “${await nameIn(sql, list).catch(() => list)}” was not refreshed. ${trouble}`,
      )
    await tell(sql, 'lists')
  })
}

/**
 * Puts live what waits of a list, or declines it: it is not asked about again while the source says the same.
 *
 * @throws ApiError `not-found`, `refused-by-gateway`
 */
export function reviewList(sql: Sql, gateway: Gateway, list: string, isTaken: boolean): Promise<void> {
  return refreshing.runExclusive(async () => {
    const waiting = await waitingList(sql, list)
    if (!waiting) throw new ApiError('not-found', 'Nothing waits for review there any more.')
    const name = await nameIn(sql, list)
    if (isTaken) await applyEntries(sql, gateway, list, waiting.entries, waiting)
    else await setWaiting(sql, list, null, markOf(waiting.entries))
    await record(sql, 'apply', `Refresh of the list “${name}” ${isTaken ? 'used' : 'declined'} after review`)
    await tell(sql, 'lists')
  })
}

/** Takes what is new of a zone; what it was is kept, so that afterwards changes alone are asked for. */
async function takeZone(sql: Sql, gateway: Gateway, source: StoredSource): Promise<void> {
  const copy = await transferZone(
    { url: source.url, key: readKey(source.key) },
    await zoneCopy(sql, source.list),
  )
  if (copy === null) return
  await takeText(sql, gateway, source, ['$TTL 300', ...copy.lines, ''].join('\n'))
  await saveZoneCopy(sql, source.list, copy)
}

async function takeText(sql: Sql, gateway: Gateway, source: StoredSource, text: string): Promise<void> {
  const { entries, unread } = readSites(text)
  const first = unread[0]
  const isOther = entries.length === 0 || unread.length > MOST_UNREAD * (entries.length + unread.length)
  if (isOther)
    throw new ListFault(
      first ? `What came is not a list of sites: line ${first.line}: ${first.message}` : 'The list is empty',
    )
  const before = (await siteLists(sql)).find(({ id }) => id === source.list)
  if (!before)
    throw new ApiError('not-found', 'The list is deleted from the draft: restore it, or remove its source.')
  const { policy } = await livePolicy(sql)
  const live = policy.siteLists.find(({ id }) => id === source.list)
  const difference = differenceOf(live?.entries ?? before.entries, entries)
  if (difference.added.length + difference.removed.length === 0) return
  const mark = markOf(entries)
  if (source.declined === mark) return
  const why = reasonToWait(policy, source, live ?? before, difference)
  const change = { added: difference.added.length, removed: difference.removed.length }
  if (why === null) return applyEntries(sql, gateway, source.list, entries, change)
  const isNews = markOf((await waitingList(sql, source.list))?.entries ?? []) !== mark
  const sample = [
    ...difference.added.slice(0, SAMPLE).map((entry) => `+ ${entry}`),
    ...difference.removed.slice(0, SAMPLE).map((entry) => `− ${entry}`),
  ]
  await setWaiting(sql, source.list, { ...change, entries, sample, why })
  if (isNews) await notify(sql, 'list', `A refresh of the list “${before.name}” waits for review. ${why}`)
}

/** Why a change waits for somebody; `null` = it goes live by itself. */
function reasonToWait(
  policy: Policy,
  { share }: ListSource,
  { id, entries }: SiteList,
  { added, removed }: Difference,
): string | null {
  const most = (entries.length * share) / 100
  if (entries.length > 0 && removed.length > most)
    return `It would lose ${removed.length} of ${entries.length} sites, more than ${share}%.`
  if (entries.length > 0 && added.length > most)
    return `It would grow by ${added.length} sites from ${entries.length}, more than ${share}%.`
  const needed = neededBy(policy, id)
  const touched =
    added.find((entry) => touches(entry, needed.names)) ?? removed.find((entry) => needed.own.has(entry))
  return touched === undefined ? null : `It changes ${touched}, which a rule allows.`
}

/** What allow rules need: names and blocks of other lists, apps and their own; and what of this list itself. */
function neededBy(policy: Policy, list: string) {
  const allowing = policy.rules.filter(({ effect, enabled }) => enabled && effect === 'allow')
  const names = allowing.flatMap(
    ({ what }) => gather(policy, { ...what, siteLists: what.siteLists.filter((id) => id !== list) }).sites,
  )
  const isOwn = allowing.some(({ what }) => what.siteLists.includes(list))
  const own = isOwn ? (policy.siteLists.find(({ id }) => id === list)?.entries ?? []) : []
  return { names: new Set(names), own: new Set(own) }
}

/** Whether a site covers one of some, or is covered by one. */
function touches(entry: string, names: ReadonlySet<string>): boolean {
  const block = readBlock(entry)
  if (block) {
    for (const name of names) {
      const other = readBlock(name)
      if (other && (blockCovers(block, other) || blockCovers(other, block))) return true
    }
    return false
  }
  for (const above of namesAbove(entry)) if (names.has(above)) return true
  for (const name of names) if (name.endsWith(`.${entry}`)) return true
  return false
}

function differenceOf(before: readonly string[], after: readonly string[]): Difference {
  const [was, is] = [new Set(before), new Set(after)]
  return {
    added: after.filter((entry) => !was.has(entry)),
    removed: before.filter((entry) => !is.has(entry)),
  }
}

const markOf = (entries: readonly string[]) => digestOfText([...entries].sort().join('\n'))

/**
 * Gives a list other entries: in the draft, and where it is live as a revision of its own.
 *
 * @throws ApiError `refused-by-gateway`
 */
async function applyEntries(
  sql: Sql,
  gateway: Gateway,
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
