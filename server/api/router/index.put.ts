import { pairingForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { record } from '../../accounts/audit.ts'
import { driverOf, ofRouter } from '../../gateways/router.ts'

export default apiHandler(async ({ sql, router, link, event }) => {
  await ofRouter(driverOf(router).pair(await bodyOf(event, pairingForm)))
  await record(sql, 'settings', 'Router connected over SSH')
  return link.look()
})
