import { apiHandler, idOf } from '../../services/api-handler.ts'
import { tryWebhook } from '../../services/notices.ts'

export default apiHandler(async ({ sql, event }) => {
  await tryWebhook(sql, idOf(event))
  return {}
})
