import { auditForm } from '../../../protocol/forms.ts'
import { apiHandler, queryOf } from '../../services/api-handler.ts'
import { auditAnswer } from '../../services/audit.ts'

export default apiHandler(async ({ sql, event }) => auditAnswer(sql, await queryOf(event, auditForm)))
