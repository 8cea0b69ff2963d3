import { overrideForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { makeOverride } from '../../live/overrides.ts'

export default apiHandler(async ({ sql, link, event, account, limit }) => {
  const id = await makeOverride(sql, await bodyOf(event, overrideForm), account, limit)
  link.liveChanged()
  return { id, gateway: await link.look() }
})
