import { copyForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { copyInto } from '../../draft/copies.ts'

export default apiHandler(async ({ places, sql, account, event }) =>
  copyInto(places, sql, account, await bodyOf(event, copyForm)),
)
