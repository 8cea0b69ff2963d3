import type { RemoteInfo, Socket as UdpSocket } from 'node:dgram'
import { type AddressInfo, type Server, type Socket, createServer } from 'node:net'
import packet, { type Answer, type Packet } from 'dns-packet'
import { framed } from './framed.ts'
import { questionsKnown, type Questions } from './questions.ts'
import { batch, udpSocket, upstreamsAt, type Asking, type At } from './upstream.ts'
import {
  aged,
  bare,
  contentOf,
  FORMERR,
  readQuery,
  REFUSED,
  SERVFAIL,
  type Content,
  type Query,
} from './wire.ts'

/**
 * What is said of a name: `null` = it is forwarded, else why it is blocked, and the IPv4 address where that
 * is told (`null` = nowhere).
 */
export type Ruling = { readonly closed: string; readonly to: string | null } | null

/**
 * Who asks, as the port says on which the packet came: a MAC address (lower case, colons), or `null` for
 * every unknown device.
 */
export type Asker = string | null

export interface ResolverSetting {
  /** Where the rest is asked, one after the other. */
  readonly upstreams: readonly At[]
  /**
   * Decides about a name (ASCII, lower case, no final dot) for whoever asks, from an address; `isAlias` =
   * what was asked for leads there.
   *
   * @throws Error where that cannot be told
   */
  rule(name: string, asker: Asker, from: string, isAlias: boolean): Ruling
  /** Whether a name may not lead to one of the addresses, which are of this network. */
  isRefused(name: string, addresses: readonly string[]): boolean
  /**
   * Told of the addresses that a forwarded name has, before they are answered for the first time; the answer
   * may be given again for a minute.
   */
  resolved(name: string, addresses: readonly string[]): Promise<void> | void
  /** Told when an upstream answers nothing any more, and when it answers again. */
  upstream(host: string, answers: boolean): void
  fault(error: unknown): void
}

export interface Resolver {
  /**
   * Answers an asker on a port, UDP and TCP, IPv4 and IPv6: one that is free (0), or a given one.
   *
   * @returns which port that is
   * @throws Error where that is taken
   */
  open(asker: Asker, port?: number): Promise<number>
  /** Answers an asker no longer. */
  close(asker: Asker): void
  /**
   * The addresses of a name of both versions, asked for by the resolver itself; none where no upstream
   * answers.
   */
  addressesOf(name: string): Promise<readonly string[]>
  stop(): void
}

/** The longest that an answer counts, in seconds: a change of the policy shows soon. */
const LONGEST = 10
/** The longest that an upstream's answer is given again without asking anew, in seconds. */
const KEPT = 60
/** How many questions of one client, and of all, are worked on at a time; more are dropped. */
const PER_CLIENT = 200
const ALTOGETHER = 5000
/**
 * How many connections one client, and all, may have; how long one may be silent, and how long it lasts at
 * most, in milliseconds.
 */
const CONNECTIONS_EACH = 16
const CONNECTIONS = 1000
const IDLE = 10_000
const LASTS = 120_000
/**
 * How many clients are known before those that wait for nothing are forgotten: more than questions are worked
 * on.
 */
const CLIENTS = 10_000
/** How often another port is tried where one is free for TCP and not for UDP. */
const TRIES = 20
/**
 * The option of Extended DNS Errors, and its code for what the operator closed (RFC 8914, sections 2 and
 * 4.16).
 */
const EDE = 15
const BLOCKED = 15

/**
 * A query with who sent it, from which address and port and over what; it `waits` until it is answered or
 * dropped.
 */
interface Asked extends Asking {
  readonly asker: Asker
  readonly from: string
  readonly address: string
  readonly port: number
  readonly send: (asked: Asked) => void
  answer: Buffer | null
  waits: boolean
}

/** Where an asker is answered. */
interface Door {
  readonly port: number
  readonly udp: UdpSocket
  readonly tcp: Server
  readonly sockets: Set<Socket>
}

/**
 * Starts a resolver that asks `rule` about every name, answers what is blocked itself (RFC 1035, RFC 8914)
 * and forwards the rest. What cannot be read is dropped.
 */
export function startResolver(setting: ResolverSetting): Resolver {
  const working = new Map<string, number>()
  const connected = new Map<string, number>()
  let [altogether, connections] = [0, 0]
  let running = true
  const questions = questionsKnown()
  const doors = new Map<Asker, Door>()
  /** Equal questions that wait for the same answer: one is asked for all. */
  const asking = new Map<string, Asked[]>()
  const end = (asked: Asked, answer: Buffer | null) => {
    if (!asked.waits) return
    asked.waits = false
    altogether--
    working.set(asked.from, working.get(asked.from)! - 1)
    asked.answer = answer
    if (answer) asked.send(asked)
  }
  const fail = (asked: Asked, error: unknown) => {
    end(asked, null)
    setting.fault(error)
  }
  const upstreams = upstreamsAt(setting.upstreams, setting.upstream)
  const ask = (asked: Asked) => {
    const key = `${asked.tcp ? 't' : 'u'}${asked.query.message.toString('latin1', 2)}`
    const others = asking.get(key)
    if (others) return void others.push(asked)
    const all = [asked]
    asking.set(key, all)
    upstreams.ask(asked, (found) => {
      asking.delete(key)
      void take(all, found)
    })
  }
  /** What was found goes to all who wait for it, each by what may be told to whom. */
  const take = async (all: readonly Asked[], found: Buffer | null) => {
    const { query } = all[0]!
    try {
      const content = found && contentOf(found, query, KEPT)
      if (!content) return all.forEach((asked) => end(asked, bare(asked.query, SERVFAIL)))
      if (content.mentioned.length > 0 && setting.isRefused(query.name!, content.mentioned))
        return all.forEach((asked) => end(asked, bare(asked.query, REFUSED)))
      const told = setting.resolved(query.name!, content.addresses)
      if (told) await told
      const place = content.lives > 0 ? questions.place(query.message) : -1
      if (place >= 0) questions.keep(place, found, performance.now(), content.lives, content.aliases)
      for (const asked of all) give(asked, Buffer.from(found), 0, content.aliases)
    } catch (error) {
      for (const asked of all) fail(asked, error)
    }
  }
  /** Gives what was found, unless an alias in it is blocked for who asks. */
  const give = (asked: Asked, found: Buffer, age: number, aliases: Content['aliases']) => {
    for (const alias of aliases) {
      const ruling = setting.rule(alias, asked.asker, asked.from, true)
      if (ruling) return end(asked, closedAnswer(asked.query, ruling, questions, -1))
    }
    end(asked, fitting(found, asked, age))
  }
  const answer = (asked: Asked) => {
    const { query } = asked
    if (query.name === null) return end(asked, bare(query, FORMERR))
    const ruling = setting.rule(query.name, asked.asker, asked.from, false)
    const place = questions.find(query.message)
    if (ruling)
      return end(
        asked,
        closedAnswer(query, ruling, questions, place < 0 ? questions.place(query.message) : place),
      )
    const age = place < 0 ? -1 : questions.age(place, performance.now())
    if (age >= 0) give(asked, questions.found(place), age, questions.aliases[place]!)
    else ask(asked)
  }
  const hear = (
    message: Buffer,
    { asker, address, port, tcp, send }: Pick<Asked, 'asker' | 'address' | 'port' | 'tcp' | 'send'>,
  ) => {
    const query = readQuery(message)
    const from = plainAddress(address)
    const own = working.get(from) ?? 0
    if (!query || !running || own >= PER_CLIENT || altogether >= ALTOGETHER) return
    if (working.size >= CLIENTS && !working.has(from))
      for (const [other, left] of working) if (left === 0) working.delete(other)
    working.set(from, own + 1)
    altogether++
    const asked: Asked = { query, asker, from, address, port, tcp, send, answer: null, waits: true }
    try {
      answer(asked)
    } catch (error) {
      fail(asked, error)
    }
  }
  const openUdp = (asker: Asker, port: number) =>
    new Promise<UdpSocket>((resolve, reject) => {
      const socket = udpSocket('udp6', false)
      const send = batch<Asked>(
        ({ answer, port, address }) =>
          doors.get(asker)?.udp === socket && socket.send(answer!, port, address),
      )
      socket.once('error', (error) => {
        socket.close()
        reject(error)
      })
      // Nobody can be answered at port 0, whoever says to have sent from it.
      socket.on(
        'message',
        (message: Buffer, { address, port }: RemoteInfo) =>
          port !== 0 && hear(message, { asker, address, port, tcp: false, send }),
      )
      socket.bind(port, '::', () => {
        socket.removeAllListeners('error').on('error', (error) => setting.fault(error))
        resolve(socket)
      })
    })
  const accept = (asker: Asker, socket: Socket, sockets: Set<Socket>) => {
    const [address, port] = [socket.remoteAddress ?? '', socket.remotePort ?? 0]
    const from = plainAddress(address)
    const own = connected.get(from) ?? 0
    if (connections >= CONNECTIONS || own >= CONNECTIONS_EACH) return void socket.destroy()
    connections++
    connected.set(from, own + 1)
    sockets.add(socket)
    const lasts = setTimeout(() => socket.destroy(), LASTS)
    socket.once('close', () => {
      clearTimeout(lasts)
      connections--
      sockets.delete(socket)
      const left = connected.get(from)! - 1
      if (left > 0) connected.set(from, left)
      else connected.delete(from)
    })
    const { send } = framed(socket, IDLE, (message) =>
      hear(message, { asker, address, port, tcp: true, send: ({ answer }) => send(answer!) }),
    )
  }
  const openTcp = (asker: Asker, port: number, sockets: Set<Socket>) =>
    new Promise<Server>((resolve, reject) => {
      const server = createServer((socket) => accept(asker, socket, sockets))
      server.once('error', reject).listen(port, '::', () => {
        server.off('error', reject).on('error', (error) => setting.fault(error))
        resolve(server)
      })
    })
  return {
    open: async (asker, port = 0) => {
      const before = doors.get(asker)
      if (before) return before.port
      for (let tries = 0; ; tries++) {
        const sockets = new Set<Socket>()
        const tcp = await openTcp(asker, port, sockets)
        const own = (tcp.address() as AddressInfo).port
        try {
          doors.set(asker, { port: own, tcp, sockets, udp: await openUdp(asker, own) })
          return own
        } catch (error) {
          tcp.close()
          if (port !== 0 || tries >= TRIES || (error as NodeJS.ErrnoException).code !== 'EADDRINUSE')
            throw error
        }
      }
    },
    close: (asker) => {
      const door = doors.get(asker)
      doors.delete(asker)
      door?.udp.close()
      door?.tcp.close()
      door?.sockets.forEach((socket) => socket.destroy())
    },
    addressesOf: async (name) => {
      const each = await Promise.all(
        (['A', 'AAAA'] as const).map(
          (type) =>
            new Promise<readonly string[]>((resolve) => {
              const query = readQuery(
                packet.encode({
                  type: 'query',
                  flags: packet.RECURSION_DESIRED,
                  questions: [{ type, name }],
                }),
              )!
              upstreams.ask({ query, tcp: false }, (found) => {
                const content = found && contentOf(found, query, KEPT)
                resolve(content && !setting.isRefused(name, content.mentioned) ? content.addresses : [])
              })
            }),
        ),
      )
      return each.flat()
    },
    stop: () => {
      running = false
      for (const asker of [...doors.keys()]) {
        const { udp, tcp, sockets } = doors.get(asker)!
        udp.close()
        tcp.close()
        sockets.forEach((socket) => socket.destroy())
      }
      doors.clear()
      upstreams.stop()
    },
  }
}

/** An address without its interface, and not as an IPv6 one where it is of IPv4. */
export function plainAddress(address: string): string {
  return address.includes(':') ? address.replace(/%.*$/, '').replace(/^::ffff:/, '') : address
}

/**
 * What was found as the answer to a query, `age` seconds later: cut where the client does not take so much.
 */
function fitting(found: Buffer, { query, tcp }: Asking, age: number): Buffer {
  return !tcp && found.length > query.size ? bare(query, 'cut') : aged(found, query, age, LONGEST)
}

/** What is said of a name that is blocked, as it was said before where that is known. */
function closedAnswer(
  query: Query,
  ruling: NonNullable<Ruling>,
  questions: Questions,
  place: number,
): Buffer {
  const before = place < 0 ? null : questions.closed[place]!
  const answer =
    before &&
    (before.ruling === ruling || (before.ruling.closed === ruling.closed && before.ruling.to === ruling.to))
      ? before.answer
      : closedMessage(query, ruling)
  if (place >= 0 && before?.ruling !== ruling) questions.closed[place] = { ruling, answer }
  const own = Buffer.from(answer)
  own.writeUInt16BE(query.id, 0)
  query.question.copy(own, HEADER)
  return own
}

/** Where the question begins in a message. */
const HEADER = 12

/**
 * No address for A and AAAA, or that of the page for A alone; no data for the rest; who can take it is told
 * why.
 */
function closedMessage(query: Query, ruling: NonNullable<Ruling>): Buffer {
  const { questions } = packet.decode(bare(query, 0))
  const [{ name, type }] = questions as [{ name: string; type: string }]
  let answers: Answer[]
  if (type === 'A') answers = [{ type, name, ttl: LONGEST, data: ruling.to ?? '0.0.0.0' }]
  else if (type === 'AAAA' && ruling.to === null) answers = [{ type, name, ttl: LONGEST, data: '::' }]
  else answers = []
  const told = { code: EDE, data: Buffer.concat([Buffer.from([0, BLOCKED]), Buffer.from(ruling.closed)]) }
  const opt = { type: 'OPT', name: '.', udpPayloadSize: 1232, flags: 0, options: [told] } as unknown as Answer
  const flags = bare(query, 0).readUInt16BE(2) & 0x7fff
  return packet.encode({
    type: 'response',
    flags,
    questions,
    answers,
    additionals: query.edns ? [opt] : [],
  } as Packet)
}
