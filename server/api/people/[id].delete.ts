import { apiHandler, idOf } from '../../services/api-handler.ts'
import { remove } from '../../services/people.ts'

export default apiHandler(async ({ sql, event }) => {
  await remove(sql, idOf(event))
  return {}
})
