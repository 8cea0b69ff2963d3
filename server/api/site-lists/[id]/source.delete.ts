import { apiHandler, idOf } from '../../../services/api-handler.ts'
import { dropListSource } from '../../../services/list-source.ts'

export default apiHandler(async ({ sql, event }) => {
  await dropListSource(sql, idOf(event))
  return {}
})
