import { liveForm } from '../../protocol/forms.ts'
import { apiHandler, queryOf } from '../http/api-handler.ts'
import { brief } from '../draft/brief-lists.ts'
import { readLive } from '../live/live.ts'

/** Answers the live policy; with `lists=brief`, as pages ask, long lists come without their sites. */
export default apiHandler(async ({ sql, event }) => {
  const { lists } = await queryOf(event, liveForm)
  const live = await readLive(sql)
  return lists === 'brief' ? { ...live, policy: brief(live.policy) } : live
})
