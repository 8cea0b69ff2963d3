import { apiHandler, idOf } from '../../services/api-handler.ts'
import { ApiError } from '../../services/errors.ts'
import { removeToken } from '../../sql/token.ts'

export default apiHandler(async ({ sql, event }) => {
  if (!(await removeToken(sql, idOf(event))))
    throw new ApiError('not-found', 'That token was revoked already.')
  return {}
})
