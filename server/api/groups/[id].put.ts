import { groupForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf, markIn } from '../../http/api-handler.ts'
import { putGroup } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) =>
  putGroup(sql, idOf(event), await bodyOf(event, groupForm), markIn(event)),
)
