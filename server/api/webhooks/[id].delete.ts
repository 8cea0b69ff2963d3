import { apiHandler, idOf } from '../../http/api-handler.ts'
import { deleteWebhook } from '../../notices/notices.ts'

export default apiHandler(async ({ sql, event }) => {
  await deleteWebhook(sql, idOf(event))
  return {}
})
