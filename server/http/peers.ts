import { createServer, request, type RequestListener, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { H3Event } from 'h3'
import { holding } from '../places/holding-sql.ts'
import { CLIENT_HEADER, PEER_HEADER, type Clients } from './client.ts'
import { answerInTurn } from '../../node/connections.ts'
import { ApiError } from '../errors.ts'
import { pagesOf } from '../../protocol/places.ts'
import type { KnownPlace } from '../places/places.ts'

/**
 * The time that a process has to acknowledge a request, and the time that a connection may be silent, in
 * milliseconds.
 */
const [SILENT_MS, IDLE_MS] = [3000, 20_000]

/** The other processes that work on the same database: what runs elsewhere is asked of them. */
export class Peers {
  #server: Server | null = null
  #address = ''

  constructor(
    private readonly secret: string,
    private readonly clients: Clients,
  ) {}

  /** The address at which this process is reached by others. */
  get address(): string {
    return this.#address
  }

  /**
   * Answers other processes, at an address of this machine that they reach (`host:port`): what goes over it
   * is not encrypted.
   *
   * @throws Error where it cannot be listened on
   */
  async listen(answer: RequestListener, where: string): Promise<void> {
    const { hostname, port } = new URL(`http://${where}`)
    const server = createServer()
    answerInTurn(
      server,
      (request, response) => {
        if (!this.clients.isPeer(request)) return void request.socket.destroy()
        // The request is acknowledged at once, however long its answer takes.
        response.writeProcessing()
        answer(request, response)
      },
      IDLE_MS,
    )
    await new Promise<void>((resolve, reject) =>
      server.once('error', reject).listen(Number(port) || 0, hostname.replace(/^\[|\]$/g, ''), resolve),
    )
    this.#server = server
    this.#address = `http://${hostname}:${(server.address() as AddressInfo).port}`
  }

  async stop(): Promise<void> {
    this.#server?.closeAllConnections()
    await new Promise((resolve) => (this.#server ? this.#server.close(resolve) : resolve(null)))
  }

  /**
   * Has a request answered by the process that runs its place. What of it was read already is lost, so that
   * it must not have been.
   *
   * @throws ApiError `taken-over` where no process runs it now
   */
  async forward(event: H3Event, place: KnownPlace): Promise<void> {
    const held = await holding(place.sql)
    // A process that was asked by another asks no third: while a place goes over, each may think that the
    // other has it.
    if (!held || held.peer === this.#address || this.clients.isPeer(event.node.req))
      throw new ApiError('taken-over')
    const { req, res } = event.node
    const path = event.path.startsWith('/api/')
      ? `/api/places/${place.id}${event.path.slice('/api'.length)}`
      : `${pagesOf(place.id)}${event.path}`
    const headers = {
      ...req.headers,
      [PEER_HEADER]: this.secret,
      [CLIENT_HEADER]: JSON.stringify(this.clients.of(event)),
    }
    event._handled = true
    await new Promise<void>((resolve, reject) => {
      const asked = request(new URL(path, held.peer), { method: req.method, headers }, (answered) => {
        res.writeHead(answered.statusCode!, answered.headers)
        answered.pipe(res).once('close', resolve)
      })
      // A process that was stopped takes connections all the same.
      const silent = setTimeout(() => asked.destroy(new Error('it does not answer')), SILENT_MS)
      const heard = () => clearTimeout(silent)
      asked.once('information', heard).once('response', heard).once('close', heard)
      asked.once('error', () => (res.headersSent ? res.destroy() : reject(new ApiError('taken-over'))))
      res.once('close', () => {
        asked.destroy()
        resolve()
      })
      req.pipe(asked)
    }).catch((error: unknown) => {
      event._handled = false
      throw error
    })
  }
}
