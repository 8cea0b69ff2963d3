import { ruleForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf, markIn } from '../../services/api-handler.ts'
import { putRule } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) =>
  putRule(sql, idOf(event), await bodyOf(event, ruleForm), markIn(event)),
)
