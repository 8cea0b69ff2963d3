import { apiHandler, idOf } from '../../http/api-handler.ts'
import { endOwnSession } from '../../accounts/sign-in.ts'

export default apiHandler(async ({ sql, event, account }) => {
  await endOwnSession(sql, account, idOf(event))
  return {}
})
