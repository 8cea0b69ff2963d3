import { Semaphore } from 'async-mutex'
import type { Logger } from 'pino'
import { forgetEntries } from '../accounts/audit-sql.ts'
import type { Sql } from '../database/database.ts'
import { forgetNotices } from '../notices/notice-sql.ts'
import { place } from '../database/place-sql.ts'
import { forgetSpent } from '../live/spent-sql.ts'
import { condenseUsage } from '../activity/usage-sql.ts'
import { dueSources } from '../lists/list-source-sql.ts'
import { refreshList, type ListPlace } from '../lists/list-source.ts'
import { pacedLoop } from '../../node/paced-loop.ts'

/** The time between two looks for due work, and between two clearings of old rows. */
const [LOOK_EVERY_MS, CLEAR_EVERY_MS] = [60_000, 3_600_000]
/** The number of lists that are fetched at a time. */
const LISTS_AT_ONCE = 4

/** Clears away what is over at a place. */
export async function clearAway(sql: Sql): Promise<void> {
  await forgetEntries(sql)
  await forgetNotices(sql)
  const here = await place(sql)
  if (here) await condenseUsage(sql, here.timeZone)
  await forgetSpent(sql)
  await sql.query(`delete from access_request where came_at < now() - interval '30 days'`)
}

/**
 * Keeps a place in order until the function that comes back is called: what is over is cleared away each
 * hour, and lists are asked of their sources when it is time.
 */
export function startUpkeep(here: ListPlace, log: Logger): () => void {
  const { sql } = here
  let cleared = 0
  const look = async () => {
    if (Date.now() - cleared > CLEAR_EVERY_MS) {
      cleared = Date.now()
      await clearAway(sql)
    }
    const refreshing = new Semaphore(LISTS_AT_ONCE)
    await Promise.all(
      (await dueSources(sql)).map((list) =>
        refreshing.runExclusive(() =>
          refreshList(here, list).catch((error: unknown) => log.error(error, `list ${list}`)),
        ),
      ),
    )
  }
  return pacedLoop({ everyMs: LOOK_EVERY_MS, isSpread: true }, look, (error) => log.error(error, 'upkeep'))
}
