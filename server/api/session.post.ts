import { signInForm } from '../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../services/api-handler.ts'
import { cameFrom } from '../services/client.ts'
import { keepSession } from '../services/cookie.ts'
import { signIn } from '../services/sign-in.ts'

export default apiHandler(async ({ sql, event }) => {
  const { name, password, code } = await bodyOf(event, signInForm)
  keepSession(event, await signIn(sql, name, password, cameFrom(event), code))
  return { account: name }
})
