import { apiHandler, idOf } from '../../../http/api-handler.ts'
import { dropListSource } from '../../../lists/list-source.ts'

export default apiHandler(async ({ sql, event }) => {
  await dropListSource(sql, idOf(event))
  return {}
})
