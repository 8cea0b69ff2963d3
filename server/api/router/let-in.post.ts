import { letInForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { record } from '../../accounts/audit.ts'
import { driverOf } from '../../gateways/router.ts'

export default apiHandler(async ({ sql, router, event }) => {
  const answer = await driverOf(router).letIn(await bodyOf(event, letInForm))
  await record(sql, 'settings', 'Key installed on a router')
  return answer
})
