import type { RequestListener, Server, ServerResponse } from 'node:http'
import type { Server as SecureServer } from 'node:https'
import type { Server as Front, Socket } from 'node:net'

/** The most connections in all and of one client, and the most requests that wait on one. */
export const CONNECTIONS = { inAll: 1000, ofOne: 100, waiting: 10 } as const

/** The longest time that an answer may take, but for a stream of events. */
const LONGEST_MS = 600_000

/**
 * Returns the client of an address; `null` = one that may have any number of connections, such as a proxy.
 */
export type ClientOf = (address: string) => string | null

/**
 * Limits the connections of a server: a client that has its share gets no more, and where all are taken,
 * whoever has most loses the oldest.
 */
export function limitConnections(
  front: Front,
  clientOf: ClientOf,
  { inAll, ofOne }: { readonly inAll: number; readonly ofOne: number } = CONNECTIONS,
): void {
  const open = new Map<string, Set<Socket>>()
  let count = 0
  front.on('connection', (socket: Socket) => {
    const client = clientOf(socket.remoteAddress ?? '')
    if (client === null) return
    const own = open.get(client) ?? new Set<Socket>()
    if (own.size >= ofOne) return void socket.destroy()
    if (count >= inAll) {
      const most = [...open.values()].reduce((a, b) => (b.size > a.size ? b : a))
      most.values().next().value!.destroy()
    }
    open.set(client, own.add(socket))
    count++
    socket.once('close', () => {
      own.delete(socket)
      count--
      if (own.size === 0) open.delete(client)
    })
  })
}

/**
 * Has a server answer one request after the other on each connection, however many come at once. A connection
 * ends where nothing comes or nothing is read for so long (ms), and where too many requests wait.
 */
export function answerInTurn(server: Server | SecureServer, answer: RequestListener, idle: number): void {
  const turns = new WeakMap<Socket, (() => void)[]>()
  server.headersTimeout = idle
  server.keepAliveTimeout = idle
  server.timeout = idle
  server.on('timeout', (socket: Socket) => {
    // While an answer is worked out nobody is silent in vain; who has one to read and does not is.
    if (turns.get(socket)?.length && socket.writableLength === 0) socket.setTimeout(idle)
    else socket.destroy()
  })
  server.on('request', (request, response) => {
    const { socket } = request
    const turn = turns.get(socket) ?? []
    turns.set(socket, turn)
    if (turn.length > CONNECTIONS.waiting) return void socket.destroy()
    // Each part of the way that an answer takes hears of its end.
    response.setMaxListeners(30)
    turn.push(() => {
      endInTime(response, socket)
      answer(request, response)
    })
    response.once('close', () => {
      turn.shift()
      if (!socket.destroyed) turn[0]?.()
    })
    if (turn.length === 1) turn[0]!()
  })
}

/** Ends a connection whose answer is read too slowly. */
function endInTime(response: ServerResponse, socket: Socket): void {
  const timer = setTimeout(() => {
    if (!String(response.getHeader('content-type')).startsWith('text/event-stream')) socket.destroy()
  }, LONGEST_MS).unref()
  response.once('close', () => clearTimeout(timer))
}
