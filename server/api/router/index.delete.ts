import { apiHandler } from '../../http/api-handler.ts'
import { record } from '../../accounts/audit.ts'
import { driverOf } from '../../gateways/router.ts'

export default apiHandler(async ({ sql, router, link }) => {
  await driverOf(router).unpair()
  await record(sql, 'settings', 'Router disconnected')
  return link.look()
})
