import { apiHandler, idOf } from '../../http/api-handler.ts'
import { doAct } from '../../live/saved-acts.ts'

export default apiHandler(async ({ sql, link, event, account, limit }) => {
  const id = await doAct(sql, idOf(event), account, limit)
  link.liveChanged()
  return { id, gateway: await link.look() }
})
