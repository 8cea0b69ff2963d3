import { createEventStream, getCookie } from 'h3'
import { answering } from '../services/answering.ts'
import { SESSION_COOKIE } from '../services/open-routes.ts'
import { accountOf } from '../services/sign-in.ts'

export default answering(async ({ sql, log, event, hear }) => {
  const stream = createEventStream(event)
  const token = getCookie(event, SESSION_COOKIE)
  const stop = hear((topic) => {
    void (async () => {
      // A session that was revoked hears nothing more, on streams that are open already too.
      if (topic === 'session' && !await accountOf(sql, token)) return stream.close()
      await stream.push(topic)
    })().catch((error: unknown) => log.warn(error, 'event stream'))
  })
  stream.onClosed(async () => stop())
  // Nobody listens to it: it sends the head. Not waited for: it is taken only when the stream is sent.
  void stream.push({ event: 'hello', data: '' })
  return stream.send()
})
