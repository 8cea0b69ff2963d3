import { setUpForm } from '../../shared/forms.ts'
import { answering, bodyOf } from '../services/answering.ts'
import { keepSession } from '../services/cookie.ts'
import { savePlace } from '../sql/place.ts'
import { setUp, signIn } from '../services/sign-in.ts'

export default answering(async ({ sql, link, event }) => {
  const { name, password, place } = await bodyOf(event, setUpForm)
  await setUp(sql, name, password)
  await savePlace(sql, place)
  link.liveChanged()
  keepSession(event, await signIn(sql, name, password, event.node.req.socket.remoteAddress ?? ''))
  return { account: name }
})
