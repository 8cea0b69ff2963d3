import {
  createServer,
  type IncomingMessage,
  type RequestListener,
  type Server,
  type ServerResponse,
} from 'node:http'
import { createServer as createSecureServer, type Server as SecureServer } from 'node:https'
import { createServer as createFront, type AddressInfo, type Server as Front, type Socket } from 'node:net'
import { setTimeout as pause } from 'node:timers/promises'
import type { KeyPair } from '../operations/certificate.ts'
import { clientKey } from '../../node/client-key.ts'
import { answerInTurn, CONNECTIONS, limitConnections } from '../../node/connections.ts'

/** The time for which a connection may be open without a request on it. */
const IDLE_MS = 20_000
/** The first byte of a record of a TLS handshake (RFC 8446, section 5.1). */
const HANDSHAKE = 22

/** The application, being served. */
export interface Listening {
  readonly address: AddressInfo
  /** Serves with another certificate from the next connection on. */
  renew(pair: KeyPair): void
  /** Tells how many connections there are. */
  connections(): number
  /** Takes no more connections, and ends those there are after so long (ms), or once all is answered. */
  stop(patience: number): Promise<void>
}

/** The address and the certificate with which the application is served. */
export interface ListenSetting {
  readonly host: string
  /** 0 = one that is free. */
  readonly port: number
  /** The certificate with its key; `null` = without TLS. */
  readonly pair: KeyPair | null
  /** Whether an address is a trusted proxy's, which brings many clients; by default none is. */
  readonly isProxy?: (address: string) => boolean
  /** The time for which a connection may be open without a request on it. */
  readonly idle?: number
  /** The most connections in all, and of one client. */
  readonly limits?: { readonly inAll: number; readonly ofOne: number }
}

/**
 * Serves on one port: over TLS where there is a certificate, and who comes without is led there.
 *
 * @throws Error where the port cannot be had
 */
export async function listen(
  answer: RequestListener,
  { host, port, pair, isProxy = () => false, idle = IDLE_MS, limits = CONNECTIONS }: ListenSetting,
): Promise<Listening> {
  const plain = createServer()
  answerInTurn(plain, pair ? leadToTls : answer, idle)
  const secure = pair && createSecureServer({ ...pair, handshakeTimeout: idle })
  if (secure) answerInTurn(secure, answer, idle)
  const front = secure ? partedFront(plain, secure, idle) : plain
  limitConnections(front, (address) => (isProxy(address) ? null : clientKey(address)), limits)
  const open = new Set<Socket>()
  front.on('connection', (socket: Socket) => {
    open.add(socket)
    socket.once('close', () => open.delete(socket))
  })
  await new Promise<void>((resolve, reject) => {
    front.once('error', reject)
    front.listen({ host, port }, () => {
      front.off('error', reject)
      resolve()
    })
  })
  const servers = [plain, ...(secure ? [secure] : [])]
  return {
    address: front.address() as AddressInfo,
    connections: () => open.size,
    renew: (next) => secure?.setSecureContext(next),
    stop: async (patience) => {
      const closed = new Promise((resolve) => front.close(resolve))
      servers.forEach((server) => server.closeIdleConnections())
      await Promise.race([closed, pause(patience)])
      servers.forEach((server) => server.closeAllConnections())
      open.forEach((socket) => socket.destroy())
    },
  }
}

/** Hands each connection to one of two servers, by its first byte. */
function partedFront(plain: Server, secure: SecureServer, idle: number): Front {
  const front = createFront((socket) => {
    const drop = () => socket.destroy()
    socket.on('error', drop).setTimeout(idle, drop)
    socket.once('data', (first) => {
      socket.off('timeout', drop).setTimeout(0)
      socket.pause()
      socket.unshift(first)
      const server = first[0] === HANDSHAKE ? secure : plain
      server.emit('connection', socket)
      process.nextTick(() => socket.resume())
    })
  })
  // They look after the time that a request takes from when they listen, which they never do themselves.
  front.once('listening', () => [plain, secure].forEach((server) => server.emit('listening')))
  return front
}

function leadToTls({ headers, url = '' }: IncomingMessage, response: ServerResponse): void {
  const { host = '' } = headers
  const isPlain = /^[\w.:[\]-]+$/.test(host) && url.startsWith('/')
  response.writeHead(isPlain ? 307 : 400, {
    'content-length': 0,
    'cache-control': 'no-store',
    ...(isPlain && { location: `https://${host}${url}` }),
  })
  response.end()
}
