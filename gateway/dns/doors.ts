import type { RemoteInfo, Socket as UdpSocket } from 'node:dgram'
import { type AddressInfo, type Server, type Socket, createServer } from 'node:net'
import { senderKey, type Sender } from '../../core/plan/plan.ts'
import { framed } from '../../node/framed.ts'
import { batch, udpSocket } from './udp.ts'

/**
 * The client, as the port of the packet tells it: a MAC address (lower case, colons; `null` = any that no
 * device has), and the network from which it came where that has a port of its own.
 */
export type Asker = Pick<Sender, 'mac' | 'network'>

/** The source of a question, and the way to answer it. */
export interface Origin {
  readonly asker: Asker
  readonly address: string
  readonly port: number
  readonly tcp: boolean
  /** Sends a reply to where its question came from. */
  readonly send: (reply: Reply) => void
}

/** An answer with its destination. */
export interface Reply {
  readonly address: string
  readonly port: number
  readonly answer: Buffer | null
}

/** The port of an asker, with what listens there. */
interface Door {
  readonly port: number
  readonly udp: UdpSocket
  readonly tcp: Server
  readonly sockets: Set<Socket>
}

/**
 * The most connections of one client, and of all; the time that one may be silent, and its longest life, at
 * most, in milliseconds.
 */
const CONNECTIONS_EACH = 16
const CONNECTIONS = 1000
const IDLE_MS = 10_000
const CONNECTION_LIFE_MS = 120_000
/** The number of ports that are tried where one is free for TCP and not for UDP. */
const TRIES = 20

/** The ports on which askers are answered, one each, over UDP and TCP, IPv4 and IPv6. */
export class Doors {
  readonly #doors = new Map<string, Door>()
  /** The sockets that answer: one that is closed sends nothing. */
  readonly #open = new Set<UdpSocket>()
  readonly #connectionsFrom = new Map<string, number>()
  #connections = 0

  /**
   * Begins without any.
   *
   * @param hear takes what came, as it came
   */
  constructor(
    private readonly hear: (message: Buffer, origin: Origin) => void,
    private readonly fault: (error: unknown) => void,
  ) {}

  /**
   * Opens the port of an asker: one that is free (0), or a given one.
   *
   * @returns which; the one that is open already where there is one
   * @throws Error where it is taken
   */
  async open(asker: Asker, port: number): Promise<number> {
    const before = this.#doors.get(senderKey(asker))
    if (before) return before.port
    for (let tries = 0; ; tries++) {
      const sockets = new Set<Socket>()
      const tcp = await this.#openTcp(asker, port, sockets)
      const own = (tcp.address() as AddressInfo).port
      try {
        this.#doors.set(senderKey(asker), { port: own, tcp, sockets, udp: await this.#openUdp(asker, own) })
        return own
      } catch (error) {
        tcp.close()
        const isTaken = (error as NodeJS.ErrnoException).code === 'EADDRINUSE'
        if (port !== 0 || tries >= TRIES || !isTaken) throw error
      }
    }
  }

  /** Closes the port of an asker, where there is one. */
  close(asker: Asker): void {
    this.#close(senderKey(asker))
  }

  /** Closes all. */
  stop(): void {
    for (const key of [...this.#doors.keys()]) this.#close(key)
  }

  #close(key: string): void {
    const door = this.#doors.get(key)
    this.#doors.delete(key)
    if (!door) return
    this.#open.delete(door.udp)
    door.udp.close()
    door.tcp.close()
    door.sockets.forEach((socket) => socket.destroy())
  }

  #openUdp(asker: Asker, port: number): Promise<UdpSocket> {
    return new Promise((resolve, reject) => {
      const socket = udpSocket('udp6', false)
      const send = batch<Reply>((reply) => {
        if (this.#open.has(socket)) socket.send(reply.answer!, reply.port, reply.address)
      })
      socket.once('error', (error) => {
        socket.close()
        reject(error)
      })
      // Nobody can be answered at port 0, whoever says to have sent from it.
      socket.on('message', (message: Buffer, { address, port }: RemoteInfo) => {
        if (port !== 0) this.hear(message, { asker, address, port, tcp: false, send })
      })
      socket.bind(port, '::', () => {
        socket.removeAllListeners('error').on('error', this.fault)
        this.#open.add(socket)
        resolve(socket)
      })
    })
  }

  #openTcp(asker: Asker, port: number, sockets: Set<Socket>): Promise<Server> {
    return new Promise((resolve, reject) => {
      const server = createServer((socket) => this.#accept(asker, socket, sockets))
      server.once('error', reject).listen(port, '::', () => {
        server.off('error', reject).on('error', this.fault)
        resolve(server)
      })
    })
  }

  #accept(asker: Asker, socket: Socket, sockets: Set<Socket>): void {
    const [address, port] = [socket.remoteAddress ?? '', socket.remotePort ?? 0]
    const from = plainAddress(address)
    const own = this.#connectionsFrom.get(from) ?? 0
    if (this.#connections >= CONNECTIONS || own >= CONNECTIONS_EACH) return void socket.destroy()
    this.#connections++
    this.#connectionsFrom.set(from, own + 1)
    sockets.add(socket)
    const lasts = setTimeout(() => socket.destroy(), CONNECTION_LIFE_MS)
    socket.once('close', () => {
      clearTimeout(lasts)
      this.#connections--
      sockets.delete(socket)
      const left = this.#connectionsFrom.get(from)! - 1
      if (left > 0) this.#connectionsFrom.set(from, left)
      else this.#connectionsFrom.delete(from)
    })
    const { send } = framed(socket, IDLE_MS, (message) =>
      this.hear(message, { asker, address, port, tcp: true, send: ({ answer }) => send(answer!) }),
    )
  }
}

/** An address without its interface, and not as an IPv6 one where it is of IPv4. */
export function plainAddress(address: string): string {
  return address.includes(':') ? address.replace(/%.*$/, '').replace(/^::ffff:/, '') : address
}
