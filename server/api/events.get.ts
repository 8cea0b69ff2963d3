import { createEventStream, getCookie } from 'h3'
import type { SessionAnswer } from '../../protocol/answers.ts'
import { apiHandler } from '../http/api-handler.ts'
import { placesOf } from '../accounts/people.ts'
import { ApiError } from '../errors.ts'
import { SESSION_COOKIE } from '../http/open-routes.ts'
import { principalOf } from '../accounts/sign-in.ts'

/** The most streams that a session may have open, and the number that each has. */
const MOST_STREAMS = 20
const streams = new Map<string, number>()

export default apiHandler(async ({ sql, log, event, hear, principal }) => {
  const token = getCookie(event, SESSION_COOKIE) ?? ''
  const open = streams.get(token) ?? 0
  if (open >= MOST_STREAMS)
    throw new ApiError('too-many-tries', `A session has ${MOST_STREAMS} open pages at most: close some.`)
  streams.set(token, open + 1)
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
    const left = streams.get(token)! - 1
    if (left > 0) streams.set(token, left)
    else streams.delete(token)
  })
  // It sends the head, too. Not waited for: it is taken only when the stream is sent.
  const who: SessionAnswer = { ...principal!, setUp: true, places: await placesOf(sql, principal!.account) }
  void stream.push({ event: 'hello', data: JSON.stringify(who) })
  return stream.send()
})
