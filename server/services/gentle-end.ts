import type { IncomingMessage } from 'node:http'

/** For how long what still comes is thrown away before the connection ends for good, in milliseconds. */
const LINGER = 3000
/** A body up to so many bytes is let come, so that the connection serves for the next request. */
const SHORT = 1_000_000

/**
 * Has a request come to its end that was answered before all of it did. What comes meanwhile is thrown away: to close
 * on it at once would reset the connection, and the answer could be lost (RFC 9112, section 9.6).
 */
export function endGently(request: IncomingMessage): void {
  const { socket, headers } = request
  if (!(Number(headers['content-length']) <= SHORT)) socket.end()
  const timer = setTimeout(() => socket.destroy(), LINGER)
  const done = () => clearTimeout(timer)
  request.resume().once('end', done)
  socket.once('close', done)
}
