import { leaveForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf } from '../../services/api-handler.ts'
import { ignoreSighting } from '../../services/sightings.ts'

export default apiHandler(async ({ sql, event }) => {
  const { leftAlone } = await bodyOf(event, leaveForm)
  await ignoreSighting(sql, idOf(event), leftAlone)
  return {}
})
