import { auditKeptForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { keepFor } from '../../services/audit.ts'

export default apiHandler(async ({ sql, event }) => {
  await keepFor(sql, (await bodyOf(event, auditKeptForm)).days)
  return {}
})
