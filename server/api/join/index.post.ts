import { joinForm } from '../../../protocol/forms.ts'
import { apiHandler, bodyOf } from '../../http/api-handler.ts'
import { originOf } from '../../http/client.ts'
import { keepSession } from '../../http/cookie.ts'
import { join } from '../../accounts/people.ts'
import { signIn } from '../../accounts/sign-in.ts'

export default apiHandler(async ({ sql, client, event }) => {
  const { code, name, password, isMine, secondCode } = await bodyOf(event, joinForm)
  const begin = () => signIn(sql, name, password, originOf(client, event), secondCode)
  // Somebody with an account signs in before the invitation is used.
  const token = isMine ? await begin() : null
  await join(sql, { code, name, password: isMine ? null : password }, client.address)
  keepSession(event, client, token ?? (await begin()))
  return { account: name }
})
