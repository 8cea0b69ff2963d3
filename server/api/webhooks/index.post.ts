import { webhookForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { makeWebhook } from '../../services/notices.ts'

export default apiHandler(async ({ sql, event, account }) =>
  makeWebhook(sql, await bodyOf(event, webhookForm), account),
)
