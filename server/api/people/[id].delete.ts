import { apiHandler, idOf } from '../../http/api-handler.ts'
import { remove } from '../../accounts/people.ts'

export default apiHandler(async ({ sql, event }) => {
  await remove(sql, idOf(event))
  return {}
})
