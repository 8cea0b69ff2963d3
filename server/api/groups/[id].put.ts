import { groupForm } from '../../../protocol/forms.ts'
import { answering, bodyOf, idOf, markIn } from '../../services/answering.ts'
import { putGroup } from '../../services/draft.ts'

export default answering(async ({ sql, event }) =>
  putGroup(sql, idOf(event), await bodyOf(event, groupForm), markIn(event)),
)
