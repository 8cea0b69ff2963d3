import { takeInForm } from '../../../protocol/forms.ts'
import { answering, BODY, bodyOf } from '../../services/answering.ts'
import { takeIntoDraft } from '../../services/draft.ts'

export default answering(async ({ sql, event }) =>
  takeIntoDraft(sql, await bodyOf(event, takeInForm, BODY.lists)),
)
