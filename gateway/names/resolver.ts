import type { RemoteInfo, Socket as UdpSocket } from 'node:dgram'
import { type AddressInfo, type Server, createServer } from 'node:net'
import packet, { type Answer, type Packet } from 'dns-packet'
import { questionsKnown, type Questions } from './questions.ts'
import { batch, framed, udpSocket, upstreamsAt, type At } from './upstream.ts'
import { aged, bare, contentOf, FORMERR, readQuery, SERVFAIL, type Query } from './wire.ts'

/** What is said to whoever asks for a name: `null` = it is forwarded, else why it is closed, and the IPv4 address where that is told (`null` = nowhere); with `find` its true addresses are asked for all the same, and `resolved` told of them. */
export type Ruling = { readonly closed: string, readonly to: string | null, readonly find: boolean } | null

export interface ResolverSetting {
  /** The port on which it listens, UDP and TCP, IPv4 and IPv6; 0 = any that is free. */
  readonly port: number
  /** Where the rest is asked, one after the other. */
  readonly upstreams: readonly At[]
  /** Decides about a name (ASCII, lower case, no final dot) for whoever asks from an address. */
  rule(name: string, from: string): Ruling | Promise<Ruling>
  /** Told of the addresses that a forwarded name has, before they are answered for the first time; the answer may be given again for a minute. */
  resolved(name: string, from: string, addresses: readonly string[]): Promise<void> | void
  /** Told when an upstream does not answer, each time, and when it answers again. */
  upstream(host: string, answers: boolean): void
  fault(error: unknown): void
}

/** The longest that an answer counts, in seconds: a change of the policy shows soon. */
const LONGEST = 10
/** The longest that an upstream's answer is given again without asking anew, in seconds. */
const KEPT = 60
/** How many questions of one client, and of all, are worked on at a time; more are dropped. */
const PER_CLIENT = 200
const ALTOGETHER = 5000
/** How many clients are known before those that wait for nothing are forgotten: more than questions are worked on. */
const CLIENTS = 10_000
/** The option of Extended DNS Errors, and its code for what the operator closed (RFC 8914, sections 2 and 4.16). */
const EDE = 15
const BLOCKED = 15

/** A query with who sent it, from which address and port and over what; it `waits` until it is answered or dropped. */
interface Asked { readonly query: Query, readonly from: string, readonly address: string, readonly port: number, readonly tcp: boolean, readonly send: (asked: Asked) => void, answer: Buffer | null, waits: boolean }

/** Starts a resolver that asks `rule` about every name, answers what is closed itself (RFC 1035, RFC 8914) and forwards the rest. What cannot be read is dropped. Throws where the port is taken. */
export async function startResolver(setting: ResolverSetting): Promise<{ readonly port: number, stop(): void }> {
  const working = new Map<string, number>()
  let altogether = 0
  let running = true
  const questions = questionsKnown()
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
  const upstreams = upstreamsAt<Asked>(setting.upstreams, setting.upstream, (asked, found) => {
    try {
      const content = found && contentOf(found, asked.query, KEPT)
      if (!content) return end(asked, bare(asked.query, SERVFAIL))
      const told = setting.resolved(asked.query.name!, asked.from, content.addresses)
      if (told) told.then(() => give(asked, found, content.lives)).catch((error: unknown) => fail(asked, error))
      else give(asked, found, content.lives)
    } catch (error) {
      fail(asked, error)
    }
  })
  const give = (asked: Asked, found: Buffer, lives: number) => {
    const place = lives > 0 ? questions.place(asked.query.message) : -1
    if (place >= 0) questions.keep(place, found, performance.now(), lives)
    end(asked, fitting(found, asked, 0))
  }
  const answerBy = (ruling: Ruling, asked: Asked) => {
    const place = questions.find(asked.query.message)
    const age = place < 0 ? -1 : questions.age(place, performance.now())
    if (ruling) end(asked, closedAnswer(asked.query, ruling, questions, place < 0 ? questions.place(asked.query.message) : place))
    else if (age >= 0) end(asked, fitting(questions.found(place), asked, age))
    if (age < 0 && (!ruling || ruling.find)) upstreams.ask(asked)
  }
  const answer = (asked: Asked) => {
    if (asked.query.name === null) return end(asked, bare(asked.query, FORMERR))
    const ruling = setting.rule(asked.query.name, asked.from)
    if (ruling instanceof Promise) ruling.then(ruling => answerBy(ruling, asked)).catch((error: unknown) => fail(asked, error))
    else answerBy(ruling, asked)
  }
  const take = (message: Buffer, address: string, port: number, tcp: boolean, send: Asked['send']) => {
    const query = readQuery(message)
    const from = plainAddress(address)
    const own = working.get(from) ?? 0
    if (!query || own >= PER_CLIENT || altogether >= ALTOGETHER) return
    if (working.size >= CLIENTS && !working.has(from)) for (const [other, left] of working) if (left === 0) working.delete(other)
    working.set(from, own + 1)
    altogether++
    const asked: Asked = { query, from, address, port, tcp, send, answer: null, waits: true }
    try {
      answer(asked)
    } catch (error) {
      fail(asked, error)
    }
  }
  const udp = (type: 'udp4' | 'udp6', port: number) => new Promise<UdpSocket>((resolve, reject) => {
    const socket = udpSocket(type)
    const send = batch<Asked>(({ answer, port, address }) => running && socket.send(answer!, port, address))
    socket.once('error', reject)
    // Nobody can be answered at port 0, whoever says to have sent from it.
    socket.on('message', (message: Buffer, { address, port }: RemoteInfo) => port !== 0 && take(message, address, port, false, send))
    socket.bind(port, () => {
      socket.off('error', reject).on('error', error => setting.fault(error))
      resolve(socket)
    })
  })
  const tcp = (port: number) => new Promise<Server>((resolve, reject) => {
    const server = createServer(socket => framed(socket, (message, send) => take(message, socket.remoteAddress ?? '', socket.remotePort ?? 0, true, ({ answer }) => send(answer!))))
    server.maxConnections = ALTOGETHER
    server.once('error', reject).listen(port, '::', () => resolve(server))
  })
  const server = await tcp(setting.port)
  const { port } = server.address() as AddressInfo
  const sockets = [await udp('udp4', port), await udp('udp6', port)]
  return {
    port,
    stop: () => {
      running = false
      server.close()
      sockets.forEach(socket => socket.close())
      upstreams.stop()
    },
  }
}

/** An address without its interface, and not as an IPv6 one where it is of IPv4. */
export function plainAddress(address: string): string {
  return address.includes(':') ? address.replace(/%.*$/, '').replace(/^::ffff:/, '') : address
}

/** What was found as the answer to a query, `age` seconds later: cut where the client does not take so much. */
function fitting(found: Buffer, { query, tcp }: Asked, age: number): Buffer {
  return !tcp && found.length > query.size ? bare(query, 'cut') : aged(found, query, age, LONGEST)
}

/** What is said of a name that is closed, as it was said before where that is known. */
function closedAnswer(query: Query, ruling: NonNullable<Ruling>, questions: Questions, place: number): Buffer {
  const before = place < 0 ? null : questions.closed[place]!
  const answer = before && (before.ruling === ruling || (before.ruling.closed === ruling.closed && before.ruling.to === ruling.to)) ? before.answer : closedMessage(query, ruling)
  if (place >= 0 && before?.ruling !== ruling) questions.closed[place] = { ruling, answer }
  const own = Buffer.from(answer)
  own.writeUInt16BE(query.id, 0)
  return own
}

/** No address for A and AAAA, or that of the page for A alone; no data for the rest; who can take it is told why. */
function closedMessage(query: Query, ruling: NonNullable<Ruling>): Buffer {
  const { questions } = packet.decode(bare(query, 0))
  const [{ name, type }] = questions as [{ name: string, type: string }]
  const answers: Answer[] = type === 'A' ? [{ type, name, ttl: LONGEST, data: ruling.to ?? '0.0.0.0' }] : type === 'AAAA' && ruling.to === null ? [{ type, name, ttl: LONGEST, data: '::' }] : []
  const told = { code: EDE, data: Buffer.concat([Buffer.from([0, BLOCKED]), Buffer.from(ruling.closed)]) }
  const opt = { type: 'OPT', name: '.', udpPayloadSize: 1232, flags: 0, options: [told] } as unknown as Answer
  const flags = bare(query, 0).readUInt16BE(2) & 0x7fff
  return packet.encode({ type: 'response', flags, questions, answers, additionals: query.edns ? [opt] : [] } as Packet)
}
