import { signInForm } from '../../shared/forms.ts'
import { answering, bodyOf } from '../services/answering.ts'
import { keepSession } from '../services/cookie.ts'
import { signIn } from '../services/sign-in.ts'

export default answering(async ({ sql, event }) => {
  const { name, password } = await bodyOf(event, signInForm)
  keepSession(event, await signIn(sql, name, password, event.node.req.socket.remoteAddress ?? ''))
  return { account: name }
})
