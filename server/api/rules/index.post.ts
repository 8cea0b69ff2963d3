import { ruleForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { putRule } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) => putRule(sql, null, await bodyOf(event, ruleForm)))
