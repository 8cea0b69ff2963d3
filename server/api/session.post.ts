import { signInForm } from '../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../http/api-handler.ts'
import { originOf } from '../http/client.ts'
import { keepSession } from '../http/cookie.ts'
import { signIn } from '../accounts/sign-in.ts'

export default apiHandler(async ({ sql, client, event }) => {
  const { name, password, code } = await bodyOf(event, signInForm)
  keepSession(event, client, await signIn(sql, name, password, originOf(client, event), code))
  return { account: name }
})
