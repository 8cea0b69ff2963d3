import { randomFillSync } from 'node:crypto'
import { createSocket, type Socket as UdpSocket } from 'node:dgram'
import { connect, isIPv6 } from 'node:net'
import { framed } from './framed.ts'
import { agreement, mixCase, type Query } from './wire.ts'

/** How long one upstream is waited for, in milliseconds, and how often all are tried. */
const PATIENCE = 1500
const ROUNDS = 2
/** How long one that was silent is asked after the others, in milliseconds. */
const REST = 10_000
/**
 * From how many ports each upstream is asked, and after how many questions a port is given up for another:
 * whoever makes up answers has to guess it.
 */
const PORTS = 64
const ASKED = 256
/** How many connections are open to all upstreams at a time; more questions wait for their turn. */
const CONNECTIONS = 64
/**
 * How long an answer in another case than it was asked in waits for one in the right case, in milliseconds;
 * and after how many of them in a row it is known that an upstream does not keep the case.
 */
const OTHER_CASE = 250
const OTHER_CASES = 3
/** For how long that is believed, in milliseconds: after it the case is mixed again. */
const BELIEVED = 600_000

/** Where names are looked up: an address and a port. */
export interface At {
  readonly host: string
  readonly port: number
}

/** Something that asks: a query, and whether over TCP. */
export interface Asking {
  readonly query: Query
  readonly tcp: boolean
}

interface Upstream {
  readonly at: At
  readonly ports: ReturnType<typeof portsTo>
  restsUntil: number
  probing: boolean
  isSilent: boolean
}
/**
 * Something that asks one upstream after the other: which, the how manieth, what was sent, through which port
 * and until when; `candidate` is an answer in another case.
 */
interface UpstreamTurn {
  readonly asked: Asking
  readonly done: (found: Buffer | null) => void
  readonly tries: readonly Upstream[]
  index: number
  sent: Buffer
  port: Port | null
  until: number
  candidate: Buffer | null
}
interface Port {
  readonly socket: UdpSocket
  readonly waiting: Map<number, UpstreamTurn>
  asked: number
}

/** Asks upstreams one after the other, and one that was silent after the others for a while. */
export interface Upstreams {
  /** Calls `done` with the first answer that one of them has, `null` where none does. */
  ask(asked: Asking, done: (found: Buffer | null) => void): void
  stop(): void
}

/**
 * A question that every resolver answers at once, whatever it is answered: for the servers of the root (RFC
 * 8109).
 */
const PROBE: Query = (() => {
  const message = Buffer.from([0, 0, 1, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0, 2, 0, 1])
  return {
    message,
    question: message.subarray(12),
    id: 0,
    name: '',
    end: message.length,
    size: 512,
    edns: false,
  }
})()

/**
 * The upstreams at some addresses. `tell` hears when one answers nothing any more, and when it answers again:
 * a name whose own servers are
 * silent is no fault of the upstream, so that it is asked something that it knows before that is said.
 */
export function upstreamsAt(all: readonly At[], tell: (host: string, answers: boolean) => void): Upstreams {
  let running = true
  const answered = (turn: UpstreamTurn, found: Buffer | null) => {
    const upstream = turn.tries[turn.index % turn.tries.length]!
    if (found) {
      upstream.restsUntil = 0
      say(upstream, true)
      return turn.done(found)
    }
    upstream.restsUntil = performance.now() + REST
    if (running) probe(upstream)
    turn.index++
    next(turn)
  }
  const say = (upstream: Upstream, answers: boolean) => {
    if (upstream.isSilent === answers) tell(upstream.at.host, answers)
    upstream.isSilent = !answers
  }
  const probe = (upstream: Upstream) => {
    if (upstream.probing) return
    upstream.probing = true
    const settled = (answers: boolean) => {
      upstream.probing = false
      if (running) say(upstream, answers)
    }
    upstream.ports.ask({
      asked: { query: PROBE, tcp: false },
      done: (found) => settled(found !== null),
      tries: [],
      index: 0,
      sent: PROBE.message,
      port: null,
      until: 0,
      candidate: null,
    })
  }
  const next = (turn: UpstreamTurn) => {
    if (!running || turn.index >= turn.tries.length * ROUNDS) return turn.done(null)
    const { at, ports } = turn.tries[turn.index % turn.tries.length]!
    if (turn.asked.tcp) connections.ask(turn.asked.query, at, (found) => answered(turn, found))
    else ports.ask(turn)
  }
  const connections = connectionsTo()
  const upstreams = all.map((at): Upstream => ({
    at,
    restsUntil: 0,
    probing: false,
    isSilent: false,
    ports: portsTo(at, (turn, found) => (turn.tries.length === 0 ? turn.done(found) : answered(turn, found))),
  }))
  const rested = (one: Upstream) => one.restsUntil === 0 || one.restsUntil < performance.now()
  return {
    ask: (asked, done) => {
      const tries = upstreams.every(rested)
        ? upstreams
        : [...upstreams.filter(rested), ...upstreams.filter((one) => !rested(one))]
      next({ asked, done, tries, index: 0, sent: asked.query.message, port: null, until: 0, candidate: null })
    },
    stop: () => {
      running = false
      upstreams.forEach(({ ports }) => ports.stop())
    },
  }
}

/** Gives random bytes out of a pool: each alone would cost more than the rest of a look-up. */
function randomBytes(): () => number {
  const pool = Buffer.alloc(8192)
  let at = pool.length
  return () => {
    if (at === pool.length) {
      randomFillSync(pool)
      at = 0
    }
    return pool[at++]!
  }
}
const byte = randomBytes()
const number = () => (byte() << 8) | byte()

/**
 * Asks over UDP, from changing ports; `answered` gets the first answer that comes back and fits, or `null`
 * after a while.
 */
function portsTo({ host, port }: At, answered: (turn: UpstreamTurn, found: Buffer | null) => void) {
  const ports = new Set<Port>()
  let open: Port[] = []
  let next = 0
  /**
   * How many answers in a row came in another case; the upstream is taken to keep it until these are too
   * many.
   */
  let [otherCases, mixesAgain] = [0, 0]
  const mixes = () => otherCases < OTHER_CASES || performance.now() > mixesAgain
  const close = (one: Port) => {
    if (!ports.delete(one)) return
    open = open.filter((other) => other !== one)
    one.socket.close()
    for (const turn of [...one.waiting.values()]) answered(turn, null)
  }
  const done = (one: Port, id: number, turn: UpstreamTurn, found: Buffer | null) => {
    one.waiting.delete(id)
    if (one.asked >= ASKED && one.waiting.size === 0) close(one)
    answered(turn, found)
  }
  const take = (one: Port, message: Buffer) => {
    if (message.length < 2) return
    const id = message.readUInt16BE(0)
    const turn = one.waiting.get(id)
    if (!turn) return
    const agrees = agreement(message, turn.sent, turn.asked.query.end)
    if (agrees === 'exact') {
      if (mixes()) otherCases = 0
      return done(one, id, turn, message)
    }
    if (agrees === 'none') return
    if (!mixes()) return done(one, id, turn, message)
    // It may be made up by somebody who could not guess the case: the right one may come yet.
    turn.candidate ??= message
    turn.until = Math.min(turn.until, performance.now() + OTHER_CASE)
  }
  const make = (): Port => {
    const socket = udpSocket(isIPv6(host) ? 'udp6' : 'udp4')
    const one: Port = { socket, waiting: new Map(), asked: 0 }
    socket.on('error', () => close(one))
    socket.on('message', (message) => take(one, message))
    // Connected: what comes from elsewhere does not arrive.
    socket.connect(port, host)
    ports.add(one)
    open.push(one)
    return one
  }
  const giveUp = (one: Port, id: number, turn: UpstreamTurn) => {
    const { candidate } = turn
    if (candidate) {
      otherCases++
      mixesAgain = performance.now() + BELIEVED
    }
    done(one, id, turn, candidate)
  }
  const sweep = setInterval(() => {
    const now = performance.now()
    for (const one of [...ports])
      for (const [id, turn] of [...one.waiting]) if (turn.until <= now) giveUp(one, id, turn)
  }, PATIENCE / 10)
  sweep.unref()
  // A socket is connected by then; where it could not be, it is closed.
  const send = batch<UpstreamTurn>(({ port, sent }) => ports.has(port!) && port!.socket.send(sent))
  return {
    ask: (turn: UpstreamTurn) => {
      const one = open.length < PORTS ? make() : open[next++ % open.length]!
      let id = number()
      while (one.waiting.has(id)) id = number()
      if (++one.asked >= ASKED) open = open.filter((other) => other !== one)
      turn.sent = Buffer.from(turn.asked.query.message)
      turn.sent.writeUInt16BE(id, 0)
      if (mixes()) mixCase(turn.sent, turn.asked.query.end, byte)
      turn.port = one
      turn.candidate = null
      turn.until = performance.now() + PATIENCE
      one.waiting.set(id, turn)
      send(turn)
    },
    stop: () => {
      clearInterval(sweep)
      for (const one of [...ports]) close(one)
    },
  }
}

/**
 * Sends what a turn of the event loop brought together at its end: who gets it is woken once, not for each,
 * which is most of what sending costs.
 */
export function batch<T>(send: (one: T) => void): (one: T) => void {
  let waiting: T[] = []
  const flush = () => {
    const all = waiting
    waiting = []
    for (const one of all) send(one)
  }
  return (one) => {
    if (waiting.push(one) === 1) setImmediate(flush)
  }
}

/** A socket that sends to addresses alone: nothing is looked up for it. */
export function udpSocket(type: 'udp4' | 'udp6', ipv6Only = type === 'udp6'): UdpSocket {
  const version = type === 'udp6' ? 6 : 4
  return createSocket({ type, ipv6Only, lookup: (host, _options, done) => done(null, host, version) })
}

/** Asks over TCP, a connection a question, so many at a time. */
function connectionsTo() {
  let open = 0
  const waiting: (() => void)[] = []
  const ask = (query: Query, { host, port }: At, done: (found: Buffer | null) => void) => {
    open++
    const socket = connect(port, host)
    const sent = Buffer.from(query.message)
    sent.writeUInt16BE(number(), 0)
    let found: Buffer | null = null
    const ended = setTimeout(() => socket.destroy(), PATIENCE)
    socket.once('close', () => {
      clearTimeout(ended)
      open--
      waiting.shift()?.()
      done(found)
    })
    const { send } = framed(socket, PATIENCE, (answer) => {
      if (agreement(answer, sent, query.end) === 'none') return
      found = answer
      socket.destroy()
    })
    socket.once('connect', () => send(sent))
  }
  return {
    ask: (query: Query, at: At, done: (found: Buffer | null) => void) => {
      if (open < CONNECTIONS) ask(query, at, done)
      else waiting.push(() => ask(query, at, done))
    },
  }
}
