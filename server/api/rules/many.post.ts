import { ruleEditsForm } from '../../../protocol/forms.ts'
import { answering, BODY, bodyOf } from '../../services/answering.ts'
import { changeRules } from '../../services/draft.ts'

export default answering(async ({ sql, event }) =>
  changeRules(sql, await bodyOf(event, ruleEditsForm, BODY.lists)),
)
