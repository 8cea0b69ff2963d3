import { apiHandler } from '../../http/api-handler.ts'
import { record } from '../../accounts/audit.ts'
import { driverOf, ofRouter } from '../../gateways/router.ts'

export default apiHandler(async ({ sql, router }) => {
  const answer = await ofRouter(driverOf(router).keepOnRouter(true))
  await record(sql, 'settings', 'Start-up file written to the router')
  return answer
})
