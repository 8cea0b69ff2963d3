import type { At } from './upstream-setting.ts'
import { UpstreamConnections } from './upstream-tcp.ts'
import { UpstreamPorts } from './upstream-udp.ts'
import type { Query } from './wire.ts'

/** The number of times that all upstreams are tried. */
const ROUNDS = 2
/** The milliseconds for which an upstream that was silent is asked after the others. */
const REST = 10_000

/** Something that asks: a query, and whether over TCP. */
export interface Asking {
  readonly query: Query
  readonly tcp: boolean
}

/** Asks upstreams one after the other, and one that was silent after the others for a while. */
export interface Upstreams {
  /** Calls `done` with the first answer that one of them has, `null` where none does. */
  ask(asked: Asking, done: (found: Buffer | null) => void): void
  stop(): void
}

interface Upstream {
  readonly at: At
  readonly ports: UpstreamPorts
  restsUntil: number
  isProbed: boolean
  isSilent: boolean
}

/** A question that goes from one upstream to the next: which of them, counted on over the rounds. */
interface UpstreamTurn {
  readonly asked: Asking
  readonly done: (found: Buffer | null) => void
  readonly tries: readonly Upstream[]
  index: number
}

/**
 * A question that every resolver answers at once, whatever it is answered: for the servers of the root (RFC
 * 8109).
 */
const PROBE: Query = (() => {
  const message = Buffer.from([0, 0, 1, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0, 2, 0, 1])
  return {
    message,
    written: message,
    id: 0,
    name: '',
    end: message.length,
    size: 512,
    edns: false,
  }
})()

/**
 * The upstreams at some addresses.
 *
 * @param tell hears when one answers nothing any more, and when it answers again: a name whose own servers are
 *   silent is no fault of the upstream, so that it is asked something that it knows before that is said
 */
export function upstreamsAt(all: readonly At[], tell: (host: string, answers: boolean) => void): Upstreams {
  return new AskedUpstreams(all, tell)
}

class AskedUpstreams implements Upstreams {
  readonly #connections = new UpstreamConnections()
  readonly #upstreams: readonly Upstream[]
  #isRunning = true

  constructor(
    all: readonly At[],
    private readonly tell: (host: string, answers: boolean) => void,
  ) {
    this.#upstreams = all.map((at) => ({
      at,
      ports: new UpstreamPorts(at),
      restsUntil: 0,
      isProbed: false,
      isSilent: false,
    }))
  }

  ask(asked: Asking, done: (found: Buffer | null) => void): void {
    const tries = this.#upstreams.every(isRested)
      ? this.#upstreams
      : [...this.#upstreams.filter(isRested), ...this.#upstreams.filter((one) => !isRested(one))]
    this.#next({ asked, done, tries, index: 0 })
  }

  stop(): void {
    this.#isRunning = false
    for (const { ports } of this.#upstreams) ports.stop()
  }

  #next(turn: UpstreamTurn): void {
    const { asked, tries, index, done } = turn
    if (!this.#isRunning || index >= tries.length * ROUNDS) return done(null)
    const { at, ports } = tries[index % tries.length]!
    const answered = (found: Buffer | null) => this.#answered(turn, found)
    if (asked.tcp) this.#connections.ask(asked.query, at, answered)
    else ports.ask({ query: asked.query, answered })
  }

  #answered(turn: UpstreamTurn, found: Buffer | null): void {
    const upstream = turn.tries[turn.index % turn.tries.length]!
    if (found) {
      upstream.restsUntil = 0
      this.#say(upstream, true)
      return turn.done(found)
    }
    upstream.restsUntil = performance.now() + REST
    if (this.#isRunning) this.#probe(upstream)
    turn.index++
    this.#next(turn)
  }

  #probe(upstream: Upstream): void {
    if (upstream.isProbed) return
    upstream.isProbed = true
    upstream.ports.ask({
      query: PROBE,
      answered: (found) => {
        upstream.isProbed = false
        if (this.#isRunning) this.#say(upstream, found !== null)
      },
    })
  }

  #say(upstream: Upstream, answers: boolean): void {
    if (upstream.isSilent === answers) this.tell(upstream.at.host, answers)
    upstream.isSilent = !answers
  }
}

function isRested({ restsUntil }: Upstream): boolean {
  return restsUntil === 0 || restsUntil < performance.now()
}
