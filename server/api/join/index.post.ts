import { joinForm } from '../../../protocol/forms.ts'
import { apiHandler, BODY, bodyOf } from '../../services/api-handler.ts'
import { cameFrom, clientOf } from '../../services/client.ts'
import { keepSession } from '../../services/cookie.ts'
import { join } from '../../services/people.ts'
import { signIn } from '../../services/sign-in.ts'

export default apiHandler(async ({ sql, event }) => {
  const { code, name, password } = await bodyOf(event, joinForm, BODY.open)
  await join(sql, { code, name, password }, clientOf(event).address)
  keepSession(event, await signIn(sql, name, password, cameFrom(event)))
  return { account: name }
})
