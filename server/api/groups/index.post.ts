import { groupForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { putGroup } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) => putGroup(sql, null, await bodyOf(event, groupForm)))
