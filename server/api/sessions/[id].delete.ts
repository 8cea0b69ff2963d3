import { apiHandler, idOf } from '../../services/api-handler.ts'
import { endOwnSession } from '../../services/sign-in.ts'

export default apiHandler(async ({ sql, event, account }) => {
  await endOwnSession(sql, account, idOf(event))
  return {}
})
