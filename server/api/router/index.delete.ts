import { apiHandler } from '../../services/api-handler.ts'
import { record } from '../../services/audit.ts'
import { driverOf } from '../../services/router.ts'

export default apiHandler(async ({ sql, router, link }) => {
  await driverOf(router).unpair()
  await record(sql, 'settings', 'Router disconnected')
  return link.look()
})
