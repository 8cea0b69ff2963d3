import { dismissalForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf, idOf } from '../../http/api-handler.ts'
import { dismiss } from '../../draft/dismissals.ts'

export default apiHandler(async ({ sql, event, account }) => {
  const { reason } = await bodyOf(event, dismissalForm)
  await dismiss(sql, { mark: idOf(event), reason, author: account })
  return {}
})
