import { apiHandler } from '../../services/api-handler.ts'
import { record } from '../../services/audit.ts'
import { driverOf } from '../../services/router.ts'

export default apiHandler(async ({ sql, router }) => {
  const answer = await driverOf(router).keepOnRouter(false)
  await record(sql, 'settings', 'Start-up file deleted from the router')
  return answer
})
