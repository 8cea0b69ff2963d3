import { createEventStream, getCookie } from 'h3'
import type { SessionAnswer } from '../../protocol/answers.ts'
import { apiHandler } from '../http/api-handler.ts'
import { placesOf } from '../accounts/people.ts'
import { SESSION_COOKIE } from '../http/open-routes.ts'
import { principalOf } from '../accounts/sign-in.ts'

export default apiHandler(async ({ sql, log, event, streams, hear, principal }) => {
  const token = getCookie(event, SESSION_COOKIE) ?? ''
  const closed = streams.add(token)
  const stream = createEventStream(event)
  const stop = hear((topic) => {
    void (async () => {
      // A session that was revoked hears nothing more, on streams that are open already too.
      if (topic === 'session' && !(await principalOf(sql, token))) return stream.close()
      await stream.push(topic)
    })().catch((error: unknown) => log.warn(error, 'event stream'))
  })
  stream.onClosed(async () => {
    stop()
    closed()
  })
  // It sends the head, too. Not waited for: it is taken only when the stream is sent.
  const who: SessionAnswer = { ...principal!, setUp: true, places: await placesOf(sql, principal!.account) }
  void stream.push({ event: 'hello', data: JSON.stringify(who) })
  return stream.send()
})
