import { takeInForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { takeIntoDraft } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) => takeIntoDraft(sql, await bodyOf(event, takeInForm)))
