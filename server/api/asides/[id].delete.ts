import { apiHandler, idOf } from '../../services/api-handler.ts'
import { ApiError } from '../../services/errors.ts'
import { takeUp } from '../../sql/aside.ts'
import { tell } from '../../sql/database.ts'

export default apiHandler(async ({ sql, event }) => {
  if (!(await takeUp(sql, idOf(event)))) throw new ApiError('not-found', 'That warning is not dismissed.')
  await tell(sql, 'draft')
  return {}
})
