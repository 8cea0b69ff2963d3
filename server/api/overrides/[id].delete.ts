import { apiHandler, idOf } from '../../services/api-handler.ts'
import { endOverride } from '../../services/live.ts'

export default apiHandler(async ({ sql, link, event, account, limit }) => {
  await endOverride(sql, idOf(event), account, limit)
  link.liveChanged()
  return { gateway: await link.look() }
})
