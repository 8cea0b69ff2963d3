import { putLiveForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { putLive } from '../../live/apply.ts'

export default apiHandler(async ({ sql, gateway, link, event, account }) => {
  const { note, again } = await bodyOf(event, putLiveForm)
  const number = await putLive(sql, gateway, account, note, again)
  link.liveChanged()
  return { number, gateway: await link.look() }
})
