import { apiHandler, idOf } from '../../http/api-handler.ts'
import { revokeToken } from '../../accounts/tokens.ts'

export default apiHandler(async ({ sql, event }) => {
  await revokeToken(sql, idOf(event))
  return {}
})
