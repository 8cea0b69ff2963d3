import { apiHandler, idOf } from '../../http/api-handler.ts'
import { ApiError } from '../../errors.ts'
import { revisionPolicy } from '../../live/live.ts'

export default apiHandler(({ sql, event }) => {
  const number = Number(idOf(event))
  if (!Number.isInteger(number)) throw new ApiError('not-found', 'Revisions are named by their number.')
  return revisionPolicy(sql, number)
})
