import { signInForm } from '../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../http/api-handler.ts'
import { cameFrom } from '../http/client.ts'
import { keepSession } from '../http/cookie.ts'
import { signIn } from '../accounts/sign-in.ts'

export default apiHandler(async ({ sql, event }) => {
  const { name, password, code } = await bodyOf(event, signInForm)
  keepSession(event, await signIn(sql, name, password, cameFrom(event), code))
  return { account: name }
})
