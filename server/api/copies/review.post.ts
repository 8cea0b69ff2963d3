import { copyForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { reviewCopy } from '../../draft/copies.ts'

export default apiHandler(async ({ places, sql, account, event }) =>
  reviewCopy(places, sql, account, await bodyOf(event, copyForm)),
)
