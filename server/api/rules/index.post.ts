import { ruleForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { putRule } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) => putRule(sql, null, await bodyOf(event, ruleForm)))
