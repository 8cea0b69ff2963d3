import { joinForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { cameFrom, clientOf } from '../../http/client.ts'
import { keepSession } from '../../http/cookie.ts'
import { join } from '../../accounts/people.ts'
import { signIn } from '../../accounts/sign-in.ts'

export default apiHandler(async ({ sql, event }) => {
  const { code, name, password, isMine, secondCode } = await bodyOf(event, joinForm)
  const begin = () => signIn(sql, name, password, cameFrom(event), secondCode)
  // Somebody with an account signs in before the invitation is used.
  const token = isMine ? await begin() : null
  await join(sql, { code, name, password: isMine ? null : password }, clientOf(event).address)
  keepSession(event, token ?? (await begin()))
  return { account: name }
})
