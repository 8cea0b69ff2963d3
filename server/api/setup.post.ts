import { setUpForm } from '../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../http/api-handler.ts'
import { originOf } from '../http/client.ts'
import { keepSession } from '../http/cookie.ts'
import { signIn } from '../accounts/sign-in.ts'
import { setUpPlace } from '../places/set-up.ts'

export default apiHandler(async ({ sql, link, client, event, setUpCode }) => {
  const { code, name, password, place } = await bodyOf(event, setUpForm)
  await setUpPlace(sql, { code, name, password, place }, setUpCode)
  link.liveChanged()
  keepSession(event, client, await signIn(sql, name, password, originOf(client, event)))
  return { account: name }
})
