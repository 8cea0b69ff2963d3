import { appEditsForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { changeApps } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) => changeApps(sql, await bodyOf(event, appEditsForm)))
