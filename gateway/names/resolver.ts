import { randomInt } from 'node:crypto'
import { createSocket, type RemoteInfo, type Socket as UdpSocket } from 'node:dgram'
import { isIPv6, type AddressInfo, type Server, type Socket, connect, createServer } from 'node:net'
import packet, { type Answer, type DecodedPacket, type OptAnswer, type Packet } from 'dns-packet'

/** What is said to whoever asks for a name: `null` = it is forwarded, else why it is closed. */
export type Ruling = { readonly closed: string } | null

export interface ResolverSetting {
  /** The port on which it listens, UDP and TCP, IPv4 and IPv6; 0 = any that is free. */
  readonly port: number
  /** Where the rest is asked, one after the other: address and port. */
  readonly upstreams: readonly { readonly host: string, readonly port: number }[]
  /** Decides about a name (ASCII, lower case, no final dot) for whoever asks from an address. */
  rule(name: string, from: string): Promise<Ruling>
  /** Told of the addresses that a forwarded name has, before they are answered. */
  resolved(name: string, from: string, addresses: readonly string[]): Promise<void>
  fault(error: unknown): void
}

/** The longest that an answer counts, in seconds: a change of the policy shows soon. */
const LONGEST = 10
/** How long one upstream is waited for, in milliseconds, and how often all are tried. */
const PATIENCE = 1500
const ROUNDS = 2
/** How many questions of one client, and of all, are worked on at a time; more are dropped. */
const PER_CLIENT = 200
const ALTOGETHER = 5000
/** The option of Extended DNS Errors, and its code for what the operator closed (RFC 8914, sections 2 and 4.16). */
const EDE = 15
const BLOCKED = 15
const SERVFAIL = 2
const FORMERR = 1
/** What goes over UDP to a client that does not say how much it takes (RFC 1035, section 4.2.1). */
const PLAIN = 512

/** Starts a resolver that asks `rule` about every name, answers what is closed itself (RFC 1035, RFC 8914) and forwards the rest. What cannot be read is dropped. Throws where the port is taken. */
export async function startResolver(setting: ResolverSetting): Promise<{ readonly port: number, stop(): void }> {
  const working = new Map<string, number>()
  let altogether = 0
  /** Answers one message, or nothing where it is none. */
  const answer = async (message: Buffer, from: string, tcp: boolean): Promise<Buffer | null> => {
    const query = read(message)
    if (!query || query.type !== 'query') return null
    const [question] = query.questions ?? []
    if (!question || query.questions!.length > 1) return packet.encode(reply(query, FORMERR))
    const name = question.name.toLowerCase().replace(/\.$/, '')
    const ruling = await setting.rule(name, from)
    if (ruling) return packet.encode(closedReply(query, ruling.closed))
    const found = await forward(message, query, setting.upstreams, tcp)
    if (!found) return packet.encode(reply(query, SERVFAIL))
    const answers = found.answers ?? []
    await setting.resolved(name, from, answers.flatMap(one => one.type === 'A' || one.type === 'AAAA' ? [one.data] : []))
    const short = packet.encode({ ...found, id: query.id, answers: answers.map(soon), authorities: found.authorities?.map(soon), additionals: found.additionals?.map(soon) })
    // Names are written in full here, so an answer may grow over what the client takes.
    return tcp || short.length <= sizeOf(query) ? short : packet.encode(reply(query, packet.TRUNCATED_RESPONSE))
  }
  const take = async (message: Buffer, address: string, tcp: boolean, send: (answer: Buffer) => void) => {
    const from = address.replace(/%.*$/, '').replace(/^::ffff:/, '')
    const own = working.get(from) ?? 0
    if (own >= PER_CLIENT || altogether >= ALTOGETHER) return
    working.set(from, own + 1)
    altogether++
    try {
      const answered = await answer(message, from, tcp)
      if (answered) send(answered)
    } catch (error) {
      setting.fault(error)
    } finally {
      altogether--
      const left = working.get(from)! - 1
      if (left > 0) working.set(from, left)
      else working.delete(from)
    }
  }
  const udp = (type: 'udp4' | 'udp6', port: number) => new Promise<UdpSocket>((resolve, reject) => {
    const socket = createSocket({ type, ipv6Only: type === 'udp6' })
    socket.once('error', reject)
    socket.on('message', (message: Buffer, { address, port: to }: RemoteInfo) => void take(message, address, false, (answered) => {
      socket.send(answered, to, address, error => error && setting.fault(error))
    }))
    socket.bind(port, () => {
      socket.off('error', reject).on('error', error => setting.fault(error))
      resolve(socket)
    })
  })
  const tcp = (port: number) => new Promise<Server>((resolve, reject) => {
    const server = createServer(socket => framed(socket, (message, send) => void take(message, socket.remoteAddress ?? '', true, send)))
    server.maxConnections = ALTOGETHER
    server.once('error', reject).listen(port, '::', () => resolve(server))
  })
  const server = await tcp(setting.port)
  const { port } = server.address() as AddressInfo
  const sockets = [await udp('udp4', port), await udp('udp6', port)]
  return {
    port,
    stop: () => {
      server.close()
      sockets.forEach(socket => socket.close())
    },
  }
}

function read(message: Buffer): DecodedPacket | null {
  try {
    return packet.decode(message)
  } catch {
    // It is no DNS message: whoever sent it, an answer might go to somebody else.
    return null
  }
}

/** An answer without records; `more` = further flags, such as a code of failure. */
function reply(query: DecodedPacket, more = 0): Packet {
  return { type: 'response', id: query.id, flags: (query.flags! & packet.RECURSION_DESIRED) | packet.RECURSION_AVAILABLE | more, questions: query.questions ?? [] }
}

/** No address for A and AAAA, no data for the rest; who can take it is told why. */
function closedReply(query: DecodedPacket, why: string): Packet {
  const [{ name, type }] = query.questions as [{ name: string, type: string }]
  const answers: Answer[] = type === 'A' ? [{ type, name, ttl: LONGEST, data: '0.0.0.0' }] : type === 'AAAA' ? [{ type, name, ttl: LONGEST, data: '::' }] : []
  const told = { code: EDE, data: Buffer.concat([Buffer.from([0, BLOCKED]), Buffer.from(why)]) }
  const opt = { type: 'OPT', name: '.', udpPayloadSize: 1232, flags: 0, options: [told] } as unknown as Answer
  return { ...reply(query), answers, additionals: optOf(query) ? [opt] : [] }
}

const optOf = (query: DecodedPacket) => query.additionals?.find((one): one is OptAnswer => one.type === 'OPT')
const sizeOf = (query: DecodedPacket) => Math.max(PLAIN, optOf(query)?.udpPayloadSize ?? PLAIN)
const soon = (answer: Answer): Answer => answer.type !== 'OPT' && 'ttl' in answer ? { ...answer, ttl: Math.min(answer.ttl ?? LONGEST, LONGEST) } : answer

/** The first answer that an upstream gives to the same question; `null` where none does. */
async function forward(message: Buffer, query: DecodedPacket, upstreams: ResolverSetting['upstreams'], tcp: boolean): Promise<DecodedPacket | null> {
  const asked = Buffer.from(message)
  for (let round = 0; round < ROUNDS; round++) {
    for (const upstream of upstreams) {
      // An answer that somebody else makes up has to guess this number and the port.
      const id = randomInt(0x10000)
      asked.writeUInt16BE(id, 0)
      const found = await (tcp ? askTcp : askUdp)(asked, upstream, answered => answered.type === 'response' && answered.id === id && sameQuestion(answered, query))
      if (found) return found
    }
  }
  return null
}

function sameQuestion(a: DecodedPacket, b: DecodedPacket): boolean {
  const [one, other] = [a.questions?.[0], b.questions?.[0]]
  return one?.type === other?.type && one?.name.toLowerCase() === other?.name.toLowerCase()
}

type Fits = (answered: DecodedPacket) => boolean

function askUdp(message: Buffer, { host, port }: ResolverSetting['upstreams'][number], fits: Fits): Promise<DecodedPacket | null> {
  return new Promise((resolve) => {
    const socket = createSocket(isIPv6(host) ? 'udp6' : 'udp4')
    const end = (found: DecodedPacket | null) => {
      clearTimeout(timer)
      socket.close()
      resolve(found)
    }
    const timer = setTimeout(() => end(null), PATIENCE)
    socket.once('error', () => end(null))
    socket.on('message', (answered) => {
      const found = read(answered)
      if (found && fits(found)) end(found)
    })
    // Connected: what comes from elsewhere does not arrive.
    socket.connect(port, host, () => socket.send(message))
  })
}

function askTcp(message: Buffer, { host, port }: ResolverSetting['upstreams'][number], fits: Fits): Promise<DecodedPacket | null> {
  return new Promise((resolve) => {
    const socket = connect(port, host)
    const end = (found: DecodedPacket | null) => {
      socket.destroy()
      resolve(found)
    }
    socket.setTimeout(PATIENCE, () => end(null)).once('close', () => end(null))
    socket.once('connect', () => socket.write(frame(message)))
    framed(socket, (answered) => {
      const found = read(answered)
      if (found && fits(found)) end(found)
    })
  })
}

const frame = (message: Buffer) => Buffer.concat([Buffer.from([message.length >> 8, message.length & 255]), message])

/** Reads messages with their length before them (RFC 1035, section 4.2.2); one that stays silent for ten seconds is closed. */
function framed(socket: Socket, take: (message: Buffer, send: (answer: Buffer) => void) => void): void {
  let rest = Buffer.alloc(0)
  socket.on('error', () => socket.destroy())
  if (!socket.timeout) socket.setTimeout(10_000, () => socket.destroy())
  socket.on('data', (chunk: Buffer) => {
    rest = Buffer.concat([rest, chunk])
    while (rest.length >= 2 && rest.length >= 2 + rest.readUInt16BE(0)) {
      const end = 2 + rest.readUInt16BE(0)
      take(rest.subarray(2, end), answer => socket.writable && socket.write(frame(answer)))
      rest = rest.subarray(end)
    }
  })
}
