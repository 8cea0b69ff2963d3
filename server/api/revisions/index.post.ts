import { putLiveForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { putLive } from '../../live/apply.ts'

export default apiHandler(async ({ sql, gateway, link, event, account }) => {
  const number = await putLive(sql, gateway, account, await bodyOf(event, putLiveForm))
  link.liveChanged()
  return { number, gateway: await link.look() }
})
