import { randomInt } from 'node:crypto'
import { createSocket, type Socket as UdpSocket } from 'node:dgram'
import { connect, isIPv6, type Socket } from 'node:net'
import { answers, type Query } from './wire.ts'

/** How long one upstream is waited for, in milliseconds, and how often all are tried. */
const PATIENCE = 1500
const ROUNDS = 2
/** How long one that was silent is asked after the others, in milliseconds. */
const REST = 10_000
/** From how many ports each upstream is asked, and after how many questions a port is given up for another: whoever makes up answers has to guess it. */
const PORTS = 2
const ASKED = 500

/** Where names are looked up: an address and a port. */
export interface At { readonly host: string, readonly port: number }

/** Something that asks: a query, and whether over TCP. */
interface Asked { readonly query: Query, readonly tcp: boolean }
interface Upstream<A> { readonly at: At, readonly ports: ReturnType<typeof portsTo<A & Asked>>, restsUntil: number }
/** Something that asks one upstream after the other: which, the how manieth, through which port and until when. */
interface Turn<A> { readonly asked: A, readonly tries: readonly Upstream<A>[], index: number, port: Port<A> | null, until: number }
interface Port<A> { readonly socket: UdpSocket, readonly waiting: Map<number, Turn<A>>, asked: number }

/**
 * Asks upstreams one after the other, and one that was silent after the others for a while; `done` gets the first answer that one of them has, `null` where none does. The message of the query gets another id.
 * `tell` hears when one does not answer, each time, and when it answers again.
 */
export function upstreamsAt<A extends Asked>(all: readonly At[], tell: (host: string, answers: boolean) => void, done: (asked: A, found: Buffer | null) => void): { ask(asked: A): void, stop(): void } {
  const answered = (turn: Turn<A>, found: Buffer | null) => {
    const upstream = turn.tries[turn.index % turn.tries.length]!
    if (found === null || upstream.restsUntil > 0) tell(upstream.at.host, found !== null)
    upstream.restsUntil = found ? 0 : performance.now() + REST
    if (found) return done(turn.asked, found)
    turn.index++
    next(turn)
  }
  let running = true
  const next = (turn: Turn<A>) => {
    if (!running || turn.index >= turn.tries.length * ROUNDS) return done(turn.asked, null)
    const { at, ports } = turn.tries[turn.index % turn.tries.length]!
    if (turn.asked.tcp) askTcp(turn.asked.query, at, found => answered(turn, found))
    else ports.ask(turn)
  }
  const upstreams = all.map((at): Upstream<A> => ({ at, ports: portsTo(at, answered), restsUntil: 0 }))
  const rested = (one: Upstream<A>) => one.restsUntil === 0 || one.restsUntil < performance.now()
  return {
    ask: asked => next({ asked, tries: upstreams.every(rested) ? upstreams : [...upstreams.filter(rested), ...upstreams.filter(one => !rested(one))], index: 0, port: null, until: 0 }),
    stop: () => {
      running = false
      upstreams.forEach(({ ports }) => ports.stop())
    },
  }
}

/** Asks over UDP, from changing ports; `answered` gets the first answer that comes back and fits, or `null` after a while. */
function portsTo<A extends Asked>({ host, port }: At, answered: (turn: Turn<A>, found: Buffer | null) => void) {
  const ports = new Set<Port<A>>()
  let open: Port<A>[] = []
  let next = 0
  const close = (one: Port<A>) => {
    if (!ports.delete(one)) return
    open = open.filter(other => other !== one)
    one.socket.close()
    for (const turn of [...one.waiting.values()]) answered(turn, null)
  }
  const done = (one: Port<A>, id: number, turn: Turn<A>, found: Buffer | null) => {
    one.waiting.delete(id)
    if (one.asked >= ASKED && one.waiting.size === 0) close(one)
    answered(turn, found)
  }
  const make = (): Port<A> => {
    const socket = udpSocket(isIPv6(host) ? 'udp6' : 'udp4')
    const one: Port<A> = { socket, waiting: new Map(), asked: 0 }
    socket.on('error', () => close(one))
    socket.on('message', (message) => {
      if (message.length < 2) return
      const id = message.readUInt16BE(0)
      const turn = one.waiting.get(id)
      if (turn && answers(message, turn.asked.query, id)) done(one, id, turn, message)
    })
    // Connected: what comes from elsewhere does not arrive.
    socket.connect(port, host)
    ports.add(one)
    open.push(one)
    return one
  }
  const sweep = setInterval(() => {
    const now = performance.now()
    for (const one of [...ports]) {
      for (const [id, turn] of [...one.waiting]) {
        if (turn.until > now) break
        done(one, id, turn, null)
      }
    }
  }, PATIENCE / 10)
  sweep.unref()
  // A socket is connected by then; where it could not be, it is closed.
  const send = batch<Turn<A>>(({ port, asked }) => ports.has(port!) && port!.socket.send(asked.query.message))
  return {
    ask: (turn: Turn<A>) => {
      const one = open.length < PORTS ? make() : open[next++ % open.length]!
      // An answer that somebody else makes up has to guess this number and the port.
      let id = randomInt(0x10000)
      while (one.waiting.has(id)) id = randomInt(0x10000)
      if (++one.asked >= ASKED) open = open.filter(other => other !== one)
      turn.asked.query.message.writeUInt16BE(id, 0)
      turn.port = one
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

/** Sends what a turn of the event loop brought together at its end: who gets it is woken once, not for each, which is most of what sending costs. */
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
export function udpSocket(type: 'udp4' | 'udp6'): UdpSocket {
  const version = type === 'udp6' ? 6 : 4
  return createSocket({ type, ipv6Only: version === 6, lookup: (host, _options, done) => done(null, host, version) })
}

function askTcp(query: Query, { host, port }: At, done: (found: Buffer | null) => void): void {
  const socket = connect(port, host)
  let found: Buffer | null = null
  const { message } = query
  const id = randomInt(0x10000)
  message.writeUInt16BE(id, 0)
  socket.setTimeout(PATIENCE, () => socket.destroy()).once('close', () => done(found))
  socket.once('connect', () => socket.write(frame(message)))
  framed(socket, (answered) => {
    if (!answers(answered, query, id)) return
    found = answered
    socket.destroy()
  })
}

const frame = (message: Buffer) => Buffer.concat([Buffer.from([message.length >> 8, message.length & 255]), message])

/** Reads messages with their length before them (RFC 1035, section 4.2.2); one that stays silent for ten seconds is closed. */
export function framed(socket: Socket, take: (message: Buffer, send: (answer: Buffer) => void) => void): void {
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
