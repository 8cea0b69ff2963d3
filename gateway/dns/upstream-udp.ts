import type { Socket as UdpSocket } from 'node:dgram'
import { isIPv6 } from 'node:net'
import { randomByte, randomNumber } from './random.ts'
import { batch, udpSocket } from './udp.ts'
import { UPSTREAM_PATIENCE_MS, type At } from './upstream-setting.ts'
import { agreement, mixCase, type Query } from './wire.ts'

/**
 * From how many ports each upstream is asked, and after how many questions a port is given up for another:
 * whoever makes up answers has to guess it.
 */
const PORTS = 64
const ASKED = 256
/**
 * The milliseconds for which an answer in another case than its question waits for one in the right case;
 * and after how many of them in a row it is known that an upstream does not keep the case.
 */
const OTHER_CASE = 250
const OTHER_CASES = 3
/** For how long that is believed, in milliseconds: after it the case is mixed again. */
const BELIEVED = 600_000

/** A question to an upstream, and where its answer goes; `null` = none came. */
export interface UdpQuestion {
  readonly query: Query
  readonly answered: (found: Buffer | null) => void
}

/**
 * A question on its way: what was sent, through which port and until when; `candidate` is an answer in another
 * case.
 */
interface Waiting extends UdpQuestion {
  readonly sent: Buffer
  readonly port: Port
  until: number
  candidate: Buffer | null
}

interface Port {
  readonly socket: UdpSocket
  readonly waiting: Map<number, Waiting>
  asked: number
}

/** Asks one upstream over UDP, from changing ports, in a case that is hard to guess. */
export class UpstreamPorts {
  readonly #ports = new Set<Port>()
  /** The ports from which more is asked. */
  #open: Port[] = []
  #next = 0
  /**
   * The number of answers in a row that came in another case, and the time until which the case is not mixed
   * where these are too many.
   */
  #otherCases = 0
  #mixesAgain = 0
  readonly #sweep: NodeJS.Timeout
  // A socket is connected by then; where it could not be, it is closed.
  readonly #send = batch<Waiting>(({ port, sent }) => this.#ports.has(port) && port.socket.send(sent))

  constructor(private readonly at: At) {
    this.#sweep = setInterval(() => this.#giveUpLate(), UPSTREAM_PATIENCE_MS / 10)
    this.#sweep.unref()
  }

  /** Asks; the question is answered with the first answer that fits, or `null` after a while. */
  ask(question: UdpQuestion): void {
    const port = this.#open.length < PORTS ? this.#make() : this.#open[this.#next++ % this.#open.length]!
    let id = randomNumber()
    while (port.waiting.has(id)) id = randomNumber()
    if (++port.asked >= ASKED) this.#open = this.#open.filter((other) => other !== port)
    const { query, answered } = question
    const sent = Buffer.from(query.message)
    sent.writeUInt16BE(id, 0)
    if (this.#mixes()) mixCase(sent, query.end, randomByte)
    const waiting = {
      query,
      answered,
      sent,
      port,
      until: performance.now() + UPSTREAM_PATIENCE_MS,
      candidate: null,
    }
    port.waiting.set(id, waiting)
    this.#send(waiting)
  }

  /** Closes all ports; what waits is answered with `null`. */
  stop(): void {
    clearInterval(this.#sweep)
    for (const port of [...this.#ports]) this.#close(port)
  }

  /** Whether the upstream is taken to keep the case of a question. */
  #mixes(): boolean {
    return this.#otherCases < OTHER_CASES || performance.now() > this.#mixesAgain
  }

  #make(): Port {
    const socket = udpSocket(isIPv6(this.at.host) ? 'udp6' : 'udp4')
    const port: Port = { socket, waiting: new Map(), asked: 0 }
    socket.on('error', () => this.#close(port))
    socket.on('message', (message) => this.#take(port, message))
    // Connected: what comes from elsewhere does not arrive.
    socket.connect(this.at.port, this.at.host)
    this.#ports.add(port)
    this.#open.push(port)
    return port
  }

  #close(port: Port): void {
    if (!this.#ports.delete(port)) return
    this.#open = this.#open.filter((other) => other !== port)
    port.socket.close()
    for (const waiting of [...port.waiting.values()]) waiting.answered(null)
  }

  #take(port: Port, message: Buffer): void {
    if (message.length < 2) return
    const id = message.readUInt16BE(0)
    const waiting = port.waiting.get(id)
    if (!waiting) return
    const agrees = agreement(message, waiting.sent, waiting.query.end)
    if (agrees === 'exact') {
      if (this.#mixes()) this.#otherCases = 0
      return this.#end(id, waiting, message)
    }
    if (agrees === 'none') return
    if (!this.#mixes()) return this.#end(id, waiting, message)
    // It may be made up by somebody who could not guess the case: the right one may come yet.
    waiting.candidate ??= message
    waiting.until = Math.min(waiting.until, performance.now() + OTHER_CASE)
  }

  #giveUpLate(): void {
    const now = performance.now()
    for (const port of [...this.#ports])
      for (const [id, waiting] of [...port.waiting]) if (waiting.until <= now) this.#giveUp(id, waiting)
  }

  #giveUp(id: number, waiting: Waiting): void {
    if (waiting.candidate) {
      this.#otherCases++
      this.#mixesAgain = performance.now() + BELIEVED
    }
    this.#end(id, waiting, waiting.candidate)
  }

  #end(id: number, { port, answered }: Waiting, found: Buffer | null): void {
    port.waiting.delete(id)
    if (port.asked >= ASKED && port.waiting.size === 0) this.#close(port)
    answered(found)
  }
}
