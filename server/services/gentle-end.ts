import type { IncomingMessage } from 'node:http'

/** For how long what still comes is thrown away before the connection ends for good, in milliseconds. */
const LINGER = 1000

/**
 * Ends the connection of a request that was answered before all of it came. What comes meanwhile is thrown away for
 * a moment: to close on it at once would reset the connection, and the answer could be lost (RFC 9112, section 9.6).
 */
export function endGently({ socket }: IncomingMessage): void {
  socket.end()
  const timer = setTimeout(() => socket.destroy(), LINGER)
  socket.once('close', () => clearTimeout(timer))
}
