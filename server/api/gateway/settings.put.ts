import { settingsForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { forgetLookups } from '../../activity/lookups.ts'
import { setGateway } from '../../gateways/gateway-settings.ts'

export default apiHandler(async ({ sql, gateway, link, event }) => {
  const settings = await bodyOf(event, settingsForm)
  await setGateway(sql, gateway, settings)
  await forgetLookups(sql, settings.lookups)
  return link.look()
})
