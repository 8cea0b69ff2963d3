import { apiHandler } from '../../http/api-handler.ts'
import { record } from '../../accounts/audit.ts'
import { driverOf } from '../../gateways/router.ts'

export default apiHandler(async ({ sql, router }) => {
  const answer = await driverOf(router).keepOnRouter(false)
  await record(sql, 'settings', 'Start-up file deleted from the router')
  return answer
})
