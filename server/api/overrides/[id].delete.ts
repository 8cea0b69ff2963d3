import { apiHandler, idOf } from '../../http/api-handler.ts'
import { endOverride } from '../../live/overrides.ts'

export default apiHandler(async ({ sql, link, event, account, limit }) => {
  await endOverride(sql, idOf(event), account, limit)
  link.liveChanged()
  return { gateway: await link.look() }
})
