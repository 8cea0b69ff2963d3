import { groupForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { putGroup } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) => putGroup(sql, null, await bodyOf(event, groupForm)))
