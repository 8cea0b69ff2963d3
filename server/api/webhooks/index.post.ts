import { webhookForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { makeWebhook } from '../../notices/notices.ts'

export default apiHandler(async ({ sql, event, account }) =>
  makeWebhook(sql, await bodyOf(event, webhookForm), account),
)
