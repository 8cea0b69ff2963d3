import { connect } from 'node:net'
import { framed } from '../../node/framed.ts'
import { randomNumber } from './random.ts'
import { UPSTREAM_PATIENCE_MS, type At } from './upstream-setting.ts'
import { agreement, type Query } from './wire.ts'

/** The most connections to all upstreams at a time; further questions wait for their turn. */
const CONNECTIONS = 64

/** Asks upstreams over TCP, a connection a question, so many at a time. */
export class UpstreamConnections {
  #open = 0
  readonly #waiting: (() => void)[] = []

  /** Calls `done` with the answer of an upstream, `null` where none comes. */
  ask(query: Query, at: At, done: (found: Buffer | null) => void): void {
    if (this.#open < CONNECTIONS) this.#connect(query, at, done)
    else this.#waiting.push(() => this.#connect(query, at, done))
  }

  #connect(query: Query, { host, port }: At, done: (found: Buffer | null) => void): void {
    this.#open++
    const socket = connect(port, host)
    const sent = Buffer.from(query.message)
    sent.writeUInt16BE(randomNumber(), 0)
    let found: Buffer | null = null
    const ended = setTimeout(() => socket.destroy(), UPSTREAM_PATIENCE_MS)
    socket.once('close', () => {
      clearTimeout(ended)
      this.#open--
      this.#waiting.shift()?.()
      done(found)
    })
    const { send } = framed(socket, UPSTREAM_PATIENCE_MS, (answer) => {
      if (agreement(answer, sent, query.end) === 'none') return
      found = answer
      socket.destroy()
    })
    socket.once('connect', () => send(sent))
  }
}
