import type { IncomingMessage, ServerResponse } from 'node:http'
import type { Logger } from 'pino'

/**
 * The longest time for which the event loop may be held before that is logged, and the time between two
 * looks.
 */
const [MAX_STALL_MS, LOOK_EVERY_MS] = [250, 50]

/** Logs when one thing held up all others, with the requests that were under way. */
export class StallWatch {
  /** The requests that are being answered, or were since the last look. */
  readonly #underWay = new Map<IncomingMessage, string>()
  readonly #ended = new Set<IncomingMessage>()
  readonly #timer: NodeJS.Timeout

  constructor(log: Pick<Logger, 'warn' | 'info'>) {
    let last = performance.now()
    this.#timer = setInterval(() => {
      const now = performance.now()
      const heldMs = Math.round(now - last - LOOK_EVERY_MS)
      last = now
      const requests = [...new Set(this.#underWay.values())]
      // While nobody waits, as at the start, it is no warning.
      if (heldMs > MAX_STALL_MS)
        log[requests.length > 0 ? 'warn' : 'info']({ heldMs, requests }, 'nothing else was answered')
      for (const request of this.#ended) this.#underWay.delete(request)
      this.#ended.clear()
    }, LOOK_EVERY_MS).unref()
  }

  /** Knows a request until it is answered. */
  follow(request: IncomingMessage, response: ServerResponse): void {
    this.#underWay.set(request, `${request.method} ${request.url?.split('?')[0]?.slice(0, 200)}`)
    response.once('close', () => this.#ended.add(request))
  }

  stop(): void {
    clearInterval(this.#timer)
  }
}
