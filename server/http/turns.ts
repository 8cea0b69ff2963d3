import { Semaphore, type SemaphoreInterface } from 'async-mutex'
import type { H3Event } from 'h3'
import { ApiError } from '../errors.ts'

/**
 * The heavy requests of one account, and of all, that are answered at a time, and those of one that may wait.
 */
const [AT_ONCE, AT_ONCE_IN_ALL, WAITING] = [2, 8, 30]

interface Lane {
  readonly turns: Semaphore
  waiting: number
}

/** The turns of heavy requests: each account has a few at a time, and so have all together. */
export class Turns {
  readonly #lanes = new Map<string, Lane>()
  readonly #all = new Semaphore(AT_ONCE_IN_ALL)

  /**
   * Waits until a heavy request may be answered; its turn lasts until the answer was read, or who asked went
   * away.
   *
   * @throws ApiError `too-many-requests`
   */
  async take(event: H3Event, account: string): Promise<void> {
    const lane = this.#lanes.get(account) ?? { turns: new Semaphore(AT_ONCE), waiting: 0 }
    if (lane.waiting >= WAITING) throw new ApiError('too-many-requests')
    this.#lanes.set(account, lane)
    lane.waiting++
    const { res } = event.node
    const gone = new Promise<void>((resolve) => (res.closed ? resolve() : res.once('close', resolve)))
    const free = (release: SemaphoreInterface.Releaser) => void gone.then(release)
    try {
      const [, ownRelease] = await lane.turns.acquire()
      free(ownRelease)
      const [, release] = await this.#all.acquire()
      free(release)
    } finally {
      lane.waiting--
      void gone.then(() => {
        if (lane.waiting === 0 && lane.turns.getValue() === AT_ONCE) this.#lanes.delete(account)
      })
    }
  }
}
