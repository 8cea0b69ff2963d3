import { Semaphore } from 'async-mutex'
import type { Logger } from 'pino'
import { forgetEntries } from '../accounts/audit-sql.ts'
import type { Database, Sql } from '../database/database.ts'
import { FIRST } from '../../protocol/places.ts'
import { forgetNotices } from '../notices/notice-sql.ts'
import { place } from '../database/place-sql.ts'
import { forgetSpent } from '../live/spent-sql.ts'
import { condenseUsage } from '../activity/usage-sql.ts'
import { dueSources } from '../lists/list-source-sql.ts'
import { refreshList } from '../lists/list-source.ts'
import type { Gateway } from '../../protocol/gateway.ts'
import { takeSnapshot } from '../operations/backup.ts'
import { notify } from '../notices/notices.ts'
import { repeat } from '../../node/repeat.ts'

/**
 * How often it is looked whether something is due, and how often rows that are over are cleared away, in
 * milliseconds.
 */
const LOOK = 60_000
/** How many lists are asked of their sources at a time. */
const AT_ONCE = 4
const CLEAR = 3_600_000
/** How long after a backup failed it is tried again, in milliseconds. */
const AGAIN = 3_600_000

/** Tables in which rows come and go. */
const BUSY = [
  'lookup',
  'session',
  'sign_in_try',
  'draft_step',
  'sighting',
  'draft_part',
  'override',
  'token',
  'access_request',
  'audit',
  'notice',
  'delivery',
  'usage_hour',
] as const

/** Clears away what is over at a place. */
export async function clearAway(sql: Sql): Promise<void> {
  await forgetEntries(sql)
  await forgetNotices(sql)
  const here = await place(sql)
  if (here) await condenseUsage(sql, here.timeZone)
  await forgetSpent(sql)
  await sql.query(`delete from access_request where came_at < now() - interval '30 days'`)
}

/** Clears sessions away that are over, and gives free what the rows took that are gone. */
export async function tidyUp(database: Database): Promise<void> {
  await database.query(
    `delete from session where expires_at < now() or revoked_at < now() - interval '1 day'`,
  )
  await database.query(`delete from sign_in_try where tried_at < now() - interval '1 day'`)
  await database.tidy(BUSY)
}

/**
 * Keeps a place in order until the function that comes back is called: what is over is cleared away each hour, and
 * lists are asked of their sources when it is time.
 */
export function startUpkeep(sql: Sql, gateway: Gateway, log: Logger): () => void {
  let cleared = 0
  const look = async () => {
    if (Date.now() - cleared > CLEAR) {
      cleared = Date.now()
      await clearAway(sql)
    }
    const refreshing = new Semaphore(AT_ONCE)
    await Promise.all(
      (await dueSources(sql)).map((list) =>
        refreshing.runExclusive(() =>
          refreshList(sql, gateway, list).catch((error: unknown) => log.error(error, `list ${list}`)),
        ),
      ),
    )
  }
  return repeat(LOOK, look, (error) => log.error(error, 'upkeep'))
}

/**
 * Keeps the database in order until the function that comes back is called: tidied each hour, backed up each night; by
 * one process, the one of which `isOurs` says so.
 */
export function startSnapshots(
  database: Database,
  folder: string,
  log: Logger,
  isOurs: () => Promise<boolean>,
): () => void {
  let tidied = 0
  let day = ''
  let failedAt = 0
  let toldDay = ''
  const look = async () => {
    if (!(await isOurs())) return
    const now = new Date()
    if (now.getTime() - tidied > CLEAR) {
      tidied = now.getTime()
      await tidyUp(database)
    }
    const today = now.toISOString().slice(0, 10)
    if (today === day || now.getTime() - failedAt < AGAIN) return
    try {
      await takeSnapshot(database, folder)
      day = today
    } catch (error) {
      failedAt = now.getTime()
      if (toldDay !== today)
        await notify(database.at(FIRST), 'backup-failed', `The nightly backup failed: ${reasonOf(error)}`)
      toldDay = today
      throw error
    }
  }
  return repeat(LOOK, look, (error) => log.error(error, 'snapshot'))
}

const reasonOf = (error: unknown) => (error instanceof Error ? error.message : String(error))
