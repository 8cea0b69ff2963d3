import { apiHandler, idOf } from '../../services/api-handler.ts'
import { revokeToken } from '../../services/tokens.ts'

export default apiHandler(async ({ sql, event }) => {
  await revokeToken(sql, idOf(event))
  return {}
})
