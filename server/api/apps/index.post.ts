import { appForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { putApp } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) => putApp(sql, null, await bodyOf(event, appForm)))
