import { auditKeptForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { keepFor } from '../../accounts/audit.ts'

export default apiHandler(async ({ sql, event }) => {
  await keepFor(sql, (await bodyOf(event, auditKeptForm)).days)
  return {}
})
