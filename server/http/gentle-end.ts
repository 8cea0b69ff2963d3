import type { IncomingMessage, ServerResponse } from 'node:http'

/** The time for which the rest of a body is thrown away before the connection ends for good. */
const LINGER_MS = 3000
/** The longest body that is read to its end, so that the connection serves the next request. */
const SHORT_BODY_BYTES = 1_000_000

/**
 * Sees to it that a request is answered before all of it came: where much is to come, the answer says that it
 * is the last on its connection. To be called before the answer is sent.
 */
export function answerEarly(request: IncomingMessage, response: ServerResponse): void {
  if (request.complete || isShort(request) || response.headersSent) return
  const { socket } = request
  response.setHeader('connection', 'close')
  // Node would close on what still comes, which resets the connection.
  socket.destroySoon = () => void socket.end()
}

/**
 * Has a request come to its end that was answered before all of it did. What comes meanwhile is thrown away:
 * to close on it at once would reset the connection, and the answer could be lost (RFC 9112, section 9.6).
 */
export function endGently(request: IncomingMessage): void {
  const { socket } = request
  if (!isShort(request)) socket.end()
  const timer = setTimeout(() => socket.destroy(), LINGER_MS)
  const done = () => clearTimeout(timer)
  request.resume().once('end', done)
  socket.once('close', done)
}

const isShort = ({ headers }: IncomingMessage) => Number(headers['content-length']) <= SHORT_BODY_BYTES
