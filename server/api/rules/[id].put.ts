import { ruleForm } from '../../../protocol/forms.ts'
import { answering, bodyOf, idOf, markIn } from '../../services/answering.ts'
import { putRule } from '../../services/draft.ts'

export default answering(async ({ sql, event }) =>
  putRule(sql, idOf(event), await bodyOf(event, ruleForm), markIn(event)),
)
