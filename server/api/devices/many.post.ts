import { deviceEditsForm } from '../../../protocol/forms.ts'
import { answering, BODY, bodyOf } from '../../services/answering.ts'
import { changeDevices } from '../../services/draft.ts'

export default answering(async ({ sql, event }) =>
  changeDevices(sql, await bodyOf(event, deviceEditsForm, BODY.lists)),
)
