import { groupForm } from '../../../protocol/forms.ts'
import { answering, bodyOf } from '../../services/answering.ts'
import { putGroup } from '../../services/draft.ts'

export default answering(async ({ sql, event }) => putGroup(sql, null, await bodyOf(event, groupForm)))
