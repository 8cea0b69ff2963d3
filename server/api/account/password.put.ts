import { passwordForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { cameFrom } from '../../http/client.ts'
import { keepSession } from '../../http/cookie.ts'
import { changePassword } from '../../accounts/sign-in.ts'

export default apiHandler(async ({ sql, event, account }) => {
  const { current, next } = await bodyOf(event, passwordForm)
  keepSession(event, await changePassword(sql, account, current, next, cameFrom(event)))
  return {}
})
