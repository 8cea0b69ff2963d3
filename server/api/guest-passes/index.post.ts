import { guestPassForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { makeGuestPass } from '../../live/guest-pass.ts'

export default apiHandler(async ({ sql, event, account }) => ({
  id: await makeGuestPass(sql, await bodyOf(event, guestPassForm), account),
}))
