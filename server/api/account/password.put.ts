import { passwordForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { originOf } from '../../http/client.ts'
import { keepSession } from '../../http/cookie.ts'
import { changePassword } from '../../accounts/sign-in.ts'

export default apiHandler(async ({ sql, client, event, account }) => {
  const { current, next } = await bodyOf(event, passwordForm)
  keepSession(event, client, await changePassword(sql, account, current, next, originOf(client, event)))
  return {}
})
