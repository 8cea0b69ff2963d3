import { ruleForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf, markIn } from '../../http/api-handler.ts'
import { putRule } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) =>
  putRule(sql, idOf(event), await bodyOf(event, ruleForm), markIn(event)),
)
