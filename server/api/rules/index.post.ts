import { ruleForm } from '../../../protocol/forms.ts'
import { answering, bodyOf } from '../../services/answering.ts'
import { putRule } from '../../services/draft.ts'

export default answering(async ({ sql, event }) => putRule(sql, null, await bodyOf(event, ruleForm)))
