import { appEditsForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { changeApps } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) => changeApps(sql, await bodyOf(event, appEditsForm)))
