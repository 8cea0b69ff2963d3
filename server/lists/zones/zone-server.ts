import { createSocket } from 'node:dgram'
import { lookup } from 'node:dns/promises'
import { once } from 'node:events'
import { createServer, type Server, type Socket } from 'node:net'
import {
  AUTHORITATIVE_ANSWER,
  decode,
  encode,
  type Answer,
  type DecodedPacket,
  type SoaAnswer,
} from 'dns-packet'
import type { Logger } from 'pino'
import { zoneOwners } from '../../../core/export/site-list.ts'
import { ZONES } from '../../../protocol/list-source.ts'
import { framed } from '../../../node/framed.ts'
import type { Sql } from '../../database/database.ts'
import { makeDue, zoneSources } from '../list-source-sql.ts'
import { transferSecrets } from './transfer-key-sql.ts'
import { clientKey } from '../../../node/client-key.ts'
import { limitConnections } from '../../../node/connections.ts'
import { livePolicy, revisionPolicy } from '../../live/live.ts'
import { refreshList, type ListPlace } from '../list-source.ts'
import {
  readKey,
  refusedSignature,
  signerOf,
  Signer,
  TsigFault,
  TSIG_ERRORS,
  Verifier,
  type TsigKey,
} from './tsig.ts'
import { zoneOf } from './zone-transfer.ts'

/**
 * The records of a message, the most connections in all and of one client, and how
 * long one may be silent, in ms.
 */
const [RECORDS, CONNECTIONS, CONNECTIONS_EACH, IDLE_MS] = [400, 20, 5, 30_000]
/**
 * The datagrams that are worked on at a time; more are dropped, and sent again by whoever needs
 * it.
 */
const DATAGRAMS = 50
/**
 * For how long it counts what keys and sources there are, in milliseconds: as often is the database asked
 * at most.
 */
const KNOWN_MS = 1000
/** The shortest time between two refreshes of a list that its server asks for, in milliseconds. */
const PAUSE_MS = 5000
/** Codes (RFC 1035, section 4.1.1; RFC 2136): and the operation NOTIFY (RFC 1996). */
const [REFUSED, NOTAUTH, NOTIFY] = [5, 9, 4]

/** The surroundings of the server. */
interface ServerParts {
  /** The places whose lists are served. */
  readonly places: () => readonly ZonePlace[]
  readonly host: string
  readonly port: number
  readonly log: Logger
}

/**
 * A place whose lists are served; `running` = the parts that run for it in this process, `null` = in
 * another.
 */
interface ZonePlace {
  readonly id: string
  readonly sql: Sql
  readonly running: Omit<ListPlace, 'sql'> | null
}

/** A server of zone transfers that runs. */
export interface ZoneServer {
  readonly port: number
  stop(): Promise<void>
}

/**
 * Serves live lists as response policy zones to whoever has a key (SOA, AXFR, IXFR, RFC 5936, 1995, 8945),
 * and hears from the servers of sources that their zones changed (NOTIFY, RFC 1996). Over UDP and TCP.
 *
 * @throws Error where the port cannot be listened on
 */
export async function startZoneServer(parts: ServerParts): Promise<ZoneServer> {
  const answers = new ZoneAnswers(parts)
  const connections = new Set<Socket>()
  const tcp = createServer()
  limitConnections(tcp, clientKey, { inAll: CONNECTIONS, ofOne: CONNECTIONS_EACH })
  tcp.on('connection', (socket: Socket) => {
    connections.add(socket)
    const closed = new AbortController()
    socket.on('close', () => {
      connections.delete(socket)
      closed.abort()
    })
    const answer = async (message: Buffer) => {
      for await (const part of answers.of(message, socket.remoteAddress ?? '', 'tcp')) {
        if (socket.destroyed) return
        send(part)
        if (socket.writableNeedDrain) await once(socket, 'drain', { signal: closed.signal })
      }
      // Others go on between two questions.
      await new Promise((resolve) => setImmediate(resolve))
    }
    const { send } = framed(socket, IDLE_MS, (message) =>
      answer(message).catch((error: unknown) => {
        parts.log.debug(error, 'zone transfer')
        socket.destroy()
      }),
    )
  })
  await listening(tcp, parts)
  const { port } = tcp.address() as { port: number }
  tcp.on('error', (error) => parts.log.warn(error, 'zone transfers'))
  const udp = createSocket(parts.host.includes(':') ? 'udp6' : 'udp4')
  let datagrams = 0
  udp.on('message', (message, { address, port: from }) => {
    if (datagrams >= DATAGRAMS) return
    datagrams++
    const reply = async () => {
      for await (const answer of answers.of(message, address, 'udp'))
        udp.send(answer, from, address, () => {})
    }
    reply()
      .catch((error: unknown) => parts.log.debug(error, 'zone query'))
      .finally(() => datagrams--)
  })
  udp.bind(port, parts.host)
  await once(udp, 'listening')
  udp.on('error', (error) => parts.log.warn(error, 'zone transfers'))
  return {
    port,
    stop: async () => {
      answers.stop()
      udp.close()
      for (const socket of connections) socket.destroy()
      await new Promise((resolve) => tcp.close(resolve))
    },
  }
}

async function listening(server: Server, { host, port }: ServerParts): Promise<void> {
  server.listen(port, host)
  await once(server, 'listening')
}

/**
 * A message that answers, and whether it goes to who proved to have a key, or is at the address of a
 * source.
 */
interface Part {
  readonly answer: Buffer
  readonly isKnown: boolean
}

/** Answers queries and notices. */
class ZoneAnswers {
  /** The lists that were refreshed just now, and whether they are to be again. */
  readonly #refreshes = new Map<string, { readonly timer: NodeJS.Timeout; isAsked: boolean }>()

  /** The keys and the sources of all places, and where servers of sources are. */
  readonly #keys = new Remembered(() => this.#ofPlaces(keysOf))
  readonly #sources = new Remembered(() => this.#ofPlaces(sourcesOf))
  readonly #lookups = new Map<string, Remembered<readonly { readonly address: string }[]>>()

  constructor(private readonly parts: ServerParts) {}

  async #ofPlaces<T>(each: (place: ZonePlace) => Promise<readonly T[]>): Promise<readonly T[]> {
    const all = await Promise.all(this.parts.places().map(each))
    return all.flat()
  }

  /** The messages that answer one; none where it is no query of one question (RFC 9619). */
  async *of(message: Buffer, from: string, carried: 'tcp' | 'udp'): AsyncGenerator<Buffer> {
    if (message.length < 12 || message.readUInt16BE(4) !== 1) return
    const query = decode(message)
    const [question] = query.questions ?? []
    if (query.type !== 'query' || !question) return
    const isNotice = ((message[2]! >> 3) & 15) === NOTIFY
    const parts = isNotice ? this.#hear(message, query, from) : this.#answer(message, query, carried)
    for await (const { answer, isKnown } of parts) {
      // The source of a datagram may be forged: nothing longer is sent there.
      const isShort = isKnown || carried === 'tcp' || answer.length <= message.length
      yield isShort ? answer : headOf(answer)
    }
  }

  stop(): void {
    for (const { timer } of this.#refreshes.values()) clearTimeout(timer)
    this.#refreshes.clear()
  }

  /** Hears that a zone changed, from the server of a source or whoever has its key. */
  async *#hear(message: Buffer, query: DecodedPacket, from: string): AsyncGenerator<Part> {
    const zone = zoneName(query)
    let answer: Buffer | null = null
    for (const { place, source } of await this.#sources.get()) {
      const { list, url, key: text } = source
      if (zoneOf(url).zone !== zone) continue
      const key = readKey(text)
      if (key === null && !(await this.#isAt(zoneOf(url).host, from))) continue
      const signer = key && signerFor(message, key)
      if (key !== null && signer === null) continue
      this.#refreshSoon(place, list)
      const plain = answerTo(query, [], 0, NOTIFY)
      answer ??= signer ? signer.sign(plain) : plain
    }
    yield { answer: answer ?? answerTo(query, [], REFUSED, NOTIFY), isKnown: answer !== null }
  }

  /** Whether a server is at an address, as it was when it was looked up last. */
  async #isAt(host: string, address: string): Promise<boolean> {
    const known = this.#lookups.get(host) ?? new Remembered(() => lookup(host, { all: true }).catch(() => []))
    this.#lookups.set(host, known)
    const plain = address.replace(/^::ffff:/, '')
    return (await known.get()).some((one) => one.address === plain)
  }

  /** Refreshes a list at once, and what is asked for soon after that when the pause is over. */
  #refreshSoon(place: ZonePlace, list: string): void {
    const { id, sql, running } = place
    const one = `${id} ${list}`
    const recent = this.#refreshes.get(one)
    if (recent) {
      recent.isAsked = true
      return
    }
    const timer = setTimeout(() => {
      const isAsked = this.#refreshes.get(one)?.isAsked
      this.#refreshes.delete(one)
      if (isAsked) this.#refreshSoon(place, list)
    }, PAUSE_MS).unref()
    this.#refreshes.set(one, { timer, isAsked: false })
    // Whoever runs the place looks within a minute what is due.
    const asked = running ? refreshList({ sql, ...running }, list) : makeDue(sql, list)
    asked.catch((error: unknown) => this.parts.log.warn(error, 'list'))
  }

  async *#answer(message: Buffer, query: DecodedPacket, carried: 'tcp' | 'udp'): AsyncGenerator<Part> {
    const name = signerOf(message)
    if (name === null) return yield { answer: answerTo(query, [], REFUSED), isKnown: false }
    const found = await this.#signedBy(message, name)
    if ('fault' in found) {
      const answer = refusedSignature(answerTo(query, [], NOTAUTH), message, found.fault)
      return yield { answer, isKnown: false }
    }
    const { place, signer } = found
    for await (const part of this.#records(place, query, carried)) {
      const answer = part === null ? answerTo(query, [], REFUSED) : answerTo(query, part, 0)
      yield { answer: signer.sign(answer), isKnown: true }
      // Others go on between two messages of a long zone.
      await new Promise((resolve) => setImmediate(resolve))
    }
  }

  /**
   * Finds the key that signed a message, with the signer of the answer; or the reason why none did (RFC 8945,
   * section 3).
   */
  async #signedBy(
    message: Buffer,
    name: string,
  ): Promise<{ place: ZonePlace; signer: Signer } | { fault: number }> {
    let fault: number = TSIG_ERRORS.BADKEY
    for (const { place, key } of await this.#keys.get()) {
      if (key.name !== name) continue
      const verifier = new Verifier(key, null)
      try {
        verifier.check(message)
        return { place, signer: new Signer(key, verifier.mac) }
      } catch (error) {
        if (!(error instanceof TsigFault)) throw error
        fault = error.code
      }
    }
    return { fault }
  }

  /** The records that answer a query, message by message; `null` = it is refused. */
  async *#records(
    { sql }: ZonePlace,
    query: DecodedPacket,
    carried: 'tcp' | 'udp',
  ): AsyncGenerator<Answer[] | null> {
    const zone = zoneName(query)
    const list = zone.endsWith(`.${ZONES}`) ? zone.slice(0, -ZONES.length - 1) : ''
    const { policy, latest } = await livePolicy(sql)
    const entries = policy.siteLists.find(({ id }) => id === list)?.entries
    const type: string = query.questions![0]!.type
    if (!latest || !entries || !['SOA', 'AXFR', 'IXFR'].includes(type)) return yield null
    const start = startOf(zone, latest.number)
    const known = type === 'IXFR' ? serialOf(query) : null
    // Over UDP what does not fit is said by the start alone (RFC 1995, section 2).
    if (type === 'SOA' || known === latest.number || carried === 'udp') return yield [start]
    const before = known === null ? null : await entriesAt(sql, known, list)
    const records = before === null ? whole(zone, entries) : changes(zone, before, entries, start, known!)
    yield* inMessages(start, records)
  }
}

const keysOf = async (place: ZonePlace) =>
  (await transferSecrets(place.sql)).flatMap((text) => {
    const key = readKey(text)
    return key ? [{ place, key }] : []
  })
const sourcesOf = async (place: ZonePlace) =>
  (await zoneSources(place.sql)).map((source) => ({ place, source }))

async function entriesAt(sql: Sql, revision: number, list: string): Promise<readonly string[] | null> {
  const policy = await revisionPolicy(sql, revision).catch(() => null)
  return policy?.siteLists.find(({ id }) => id === list)?.entries ?? null
}

/** Records between the zone's start and its end, as many as go into a message. */
function* inMessages(start: Answer, records: Iterable<Answer>): Generator<Answer[]> {
  let part: Answer[] = [start]
  for (const record of records) {
    part.push(record)
    if (part.length < RECORDS) continue
    yield part
    part = []
  }
  yield [...part, start]
}

function* whole(zone: string, entries: readonly string[]): Generator<Answer> {
  yield { name: zone, type: 'NS', ttl: LIFE, data: 'localhost' }
  for (const entry of entries) yield* recordsOf(zone, entry)
}

/**
 * Returns the records that go and those that come, each after the SOA record of its revision (RFC 1995,
 * section 4).
 */
function* changes(
  zone: string,
  before: readonly string[],
  after: readonly string[],
  start: Answer,
  known: number,
): Generator<Answer> {
  const [was, is] = [new Set(before), new Set(after)]
  yield startOf(zone, known)
  for (const entry of before) if (!is.has(entry)) yield* recordsOf(zone, entry)
  yield start
  for (const entry of after) if (!was.has(entry)) yield* recordsOf(zone, entry)
}

/** The time to live of records, in seconds. */
const LIFE = 300
function recordsOf(zone: string, entry: string): Answer[] {
  return zoneOwners(entry).map((owner) => ({ name: `${owner}.${zone}`, type: 'CNAME', ttl: LIFE, data: '.' }))
}
function startOf(zone: string, serial: number): SoaAnswer {
  const times = { refresh: 3600, retry: 600, expire: 1_209_600, minimum: LIFE }
  return {
    name: zone,
    type: 'SOA',
    ttl: LIFE,
    data: { mname: 'localhost', rname: 'hostmaster.localhost', serial, ...times },
  }
}

function answerTo(query: DecodedPacket, answers: Answer[], code: number, operation = 0): Buffer {
  const flags = AUTHORITATIVE_ANSWER | (operation << 11) | code
  return encode({ type: 'response', id: query.id, flags, questions: query.questions, answers })
}

/** Signs what answers a message that is signed with a key; `null` = it is not, or wrongly. */
function signerFor(message: Buffer, key: TsigKey): Signer | null {
  const verifier = new Verifier(key, null)
  try {
    verifier.check(message)
  } catch (error) {
    if (error instanceof TsigFault) return null
    throw error
  }
  return new Signer(key, verifier.mac)
}

/**
 * An answer without its records and questions: that it is refused, and to which message (RFC 1035, section
 * 4.1.1).
 */
function headOf(answer: Buffer): Buffer {
  const head = Buffer.from(answer.subarray(0, 12))
  return head.fill(0, 4)
}

/** Remembers an answer, so that it is asked for at most once in a while. */
class Remembered<T> {
  #known: Promise<T> | null = null
  #until = 0

  constructor(private readonly ask: () => Promise<T>) {}

  get(): Promise<T> {
    if (this.#known && performance.now() < this.#until) return this.#known
    this.#until = performance.now() + KNOWN_MS
    this.#known = this.ask()
    this.#known.catch(() => (this.#known = null))
    return this.#known
  }
}

const zoneName = ({ questions }: DecodedPacket) => questions![0]!.name.toLowerCase().replace(/\.$/, '')

function serialOf({ authorities = [] }: DecodedPacket): number | null {
  const start = authorities.find(({ type }) => type === 'SOA')
  return start?.type === 'SOA' ? (start.data.serial ?? null) : null
}
