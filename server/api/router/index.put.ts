import { pairingForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { record } from '../../services/audit.ts'
import { driverOf } from '../../services/router.ts'

export default apiHandler(async ({ sql, router, link, event }) => {
  await driverOf(router).pair(await bodyOf(event, pairingForm))
  await record(sql, 'settings', 'Router connected over SSH')
  return link.look()
})
