import { leaveForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf } from '../../http/api-handler.ts'
import { ignoreUnknown } from '../../gateways/sightings.ts'

export default apiHandler(async ({ sql, event }) => {
  const { leftAlone } = await bodyOf(event, leaveForm)
  await ignoreUnknown(sql, idOf(event), leftAlone)
  return {}
})
