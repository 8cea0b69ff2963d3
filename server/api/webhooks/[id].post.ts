import { apiHandler, idOf } from '../../http/api-handler.ts'
import { tryWebhook } from '../../notices/notices.ts'

export default apiHandler(async ({ sql, event }) => {
  await tryWebhook(sql, idOf(event))
  return {}
})
