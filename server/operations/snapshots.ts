import { errorText } from '../../core/words/error-text.ts'
import type { Logger } from 'pino'
import { FIRST } from '../../protocol/places.ts'
import { pacedLoop } from '../../node/paced-loop.ts'
import type { Database } from '../database/database.ts'
import { notify } from '../outbox/notify.ts'
import { takeSnapshot } from './backup.ts'

/**
 * The time between two looks for due work and between two clearings of old rows, and the time after which a
 * backup that failed is tried again.
 */
const [LOOK_EVERY_MS, CLEAR_EVERY_MS, RETRY_AFTER_MS] = [60_000, 3_600_000, 3_600_000]

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

/** Clears sessions away that are over, and gives free what the rows took that are gone. */
export async function tidyUp(database: Database): Promise<void> {
  await database.query(
    `delete from session where expires_at < now() or revoked_at < now() - interval '1 day'`,
  )
  await database.query(`delete from sign_in_try where tried_at < now() - interval '1 day'`)
  await database.tidy(BUSY)
}

/**
 * Keeps the database in order until the function that comes back is called: tidied each hour, backed up each
 * night; by one process, the one of which `isOurs` says so.
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
    if (now.getTime() - tidied > CLEAR_EVERY_MS) {
      tidied = now.getTime()
      await tidyUp(database)
    }
    const today = now.toISOString().slice(0, 10)
    if (today === day || now.getTime() - failedAt < RETRY_AFTER_MS) return
    try {
      await takeSnapshot(database, folder)
      day = today
    } catch (error) {
      failedAt = now.getTime()
      if (toldDay !== today)
        await notify(database.at(FIRST), 'backup-failed', `The nightly backup failed: ${errorText(error)}`)
      toldDay = today
      throw error
    }
  }
  return pacedLoop({ everyMs: LOOK_EVERY_MS, isSpread: true }, look, (error) => log.error(error, 'snapshot'))
}
