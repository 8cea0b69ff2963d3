import { pairingForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { driverOf } from '../../services/router.ts'

export default apiHandler(async ({ router, link, event }) => {
  await driverOf(router).pair(await bodyOf(event, pairingForm))
  return link.look()
})
