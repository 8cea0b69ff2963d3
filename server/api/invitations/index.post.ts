import { invitationForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { invite } from '../../accounts/people.ts'

export default apiHandler(async ({ sql, event, account }) => {
  return invite(sql, await bodyOf(event, invitationForm), account)
})
