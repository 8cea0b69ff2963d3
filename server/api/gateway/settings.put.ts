import { settingsForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, ofGateway } from '../../services/api-handler.ts'
import { ApiError } from '../../services/errors.ts'
import { forgetLookups } from '../../sql/lookup.ts'

export default apiHandler(async ({ sql, gateway, link, event }) => {
  const settings = await bodyOf(event, settingsForm)
  const faults = await ofGateway(gateway.set(settings))
  if (faults) throw new ApiError('malformed', '', faults)
  await forgetLookups(sql, settings.lookups)
  return link.look()
})
