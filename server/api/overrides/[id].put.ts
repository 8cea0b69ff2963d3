import { endForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf } from '../../http/api-handler.ts'
import { changeOverride } from '../../live/overrides.ts'

export default apiHandler(async ({ sql, link, event, account, limit }) => {
  await changeOverride(sql, idOf(event), (await bodyOf(event, endForm)).until, account, limit)
  link.liveChanged()
  return { gateway: await link.look() }
})
