import type { Server } from 'node:http'
import type { Socket } from 'node:net'
import { context } from '../services/context.ts'

/** How long a connection may be open without a request on it, in milliseconds. */
const IDLE = 20_000

// Opens data and gateway when the server starts rather than at the first request, and closes them in order.
export default defineNitroPlugin((nitro) => {
  void context()
  let watched: Server | null = null
  nitro.hooks.hook('request', (event) => {
    const { server } = event.node.req.socket as Socket & { server?: Server }
    if (!server || server === watched) return
    watched = server
    endIdle(server)
  })
  nitro.hooks.hook('close', async () => (await context()).close())
})

/**
 * Ends connections that say nothing: before a request, while its head comes, and after its answer; while it
 * is being answered nobody is silent in vain.
 */
function endIdle(server: Server): void {
  server.headersTimeout = IDLE
  server.keepAliveTimeout = IDLE
  server.on('connection', (socket: Socket) => socket.setTimeout(IDLE, () => socket.destroy()))
  server.on('request', (request, response) => {
    request.socket.setTimeout(0)
    response.once('close', () => request.socket.setTimeout(IDLE))
  })
}
