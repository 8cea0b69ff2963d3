import { auditForm } from '../../../protocol/forms.ts'
import { apiHandler, queryOf } from '../../http/api-handler.ts'
import { auditAnswer } from '../../accounts/audit.ts'

export default apiHandler(async ({ sql, event }) => auditAnswer(sql, await queryOf(event, auditForm)))
