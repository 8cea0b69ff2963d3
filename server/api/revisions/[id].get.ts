import { apiHandler, idOf } from '../../services/api-handler.ts'
import { ApiError } from '../../services/errors.ts'
import { revisionPolicy } from '../../services/live.ts'

export default apiHandler(({ sql, event }) => {
  const number = Number(idOf(event))
  if (!Number.isInteger(number)) throw new ApiError('not-found', 'Revisions are named by their number.')
  return revisionPolicy(sql, number)
})
