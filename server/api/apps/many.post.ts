import { appEditsForm } from '../../../protocol/forms.ts'
import { answering, BODY, bodyOf } from '../../services/answering.ts'
import { changeApps } from '../../services/draft.ts'

export default answering(async ({ sql, event }) =>
  changeApps(sql, await bodyOf(event, appEditsForm, BODY.lists)),
)
