import { apiHandler, idOf } from '../../services/api-handler.ts'
import { deleteWebhook } from '../../services/notices.ts'

export default apiHandler(async ({ sql, event }) => {
  await deleteWebhook(sql, idOf(event))
  return {}
})
