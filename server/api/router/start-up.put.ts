import { apiHandler } from '../../services/api-handler.ts'
import { record } from '../../services/audit.ts'
import { driverOf } from '../../services/router.ts'

export default apiHandler(async ({ sql, router }) => {
  const answer = await driverOf(router).keepOnRouter(true)
  await record(sql, 'settings', 'Start-up file written to the router')
  return answer
})
