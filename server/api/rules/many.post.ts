import { ruleEditsForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { changeRules } from '../../draft/draft.ts'

export default apiHandler(async ({ sql, event }) => changeRules(sql, await bodyOf(event, ruleEditsForm)))
