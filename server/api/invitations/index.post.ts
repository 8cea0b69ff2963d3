import { invitationForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { invite } from '../../services/people.ts'

export default apiHandler(async ({ sql, event, account }) => {
  return invite(sql, await bodyOf(event, invitationForm), account)
})
