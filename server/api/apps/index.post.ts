import { appForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { putApp } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) => putApp(sql, null, await bodyOf(event, appForm)))
