import { takeInForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { takeIntoDraft } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) => takeIntoDraft(sql, await bodyOf(event, takeInForm)))
