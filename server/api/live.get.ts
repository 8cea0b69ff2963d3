import { getQuery } from 'h3'
import { apiHandler } from '../services/api-handler.ts'
import { readLive } from '../services/live.ts'

/** What is live; who says with `lists=…` that it has the lists of that revision is not sent them again. */
export default apiHandler(async ({ sql, event }) => {
  const live = await readLive(sql)
  const has = live.revision !== null && getQuery(event).lists === String(live.revision.number)
  return has ? { ...live, policy: { ...live.policy, siteLists: null } } : live
})
