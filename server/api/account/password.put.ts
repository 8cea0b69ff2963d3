import { passwordForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../services/api-handler.ts'
import { cameFrom } from '../../services/client.ts'
import { keepSession } from '../../services/cookie.ts'
import { changePassword } from '../../services/sign-in.ts'

export default apiHandler(async ({ sql, event, account }) => {
  const { current, next } = await bodyOf(event, passwordForm)
  keepSession(event, await changePassword(sql, account, current, next, cameFrom(event)))
  return {}
})
