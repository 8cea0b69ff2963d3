import { ruleEditsForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { changeRules } from '../../services/draft.ts'

export default apiHandler(async ({ sql, event }) => changeRules(sql, await bodyOf(event, ruleEditsForm)))
