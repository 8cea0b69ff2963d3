import { Mutex } from 'async-mutex'
import { randomBytes } from 'node:crypto'
import { join } from 'node:path'
import { instantText, readInstant } from '../../core/time/instant.ts'
import {
  isWaiting,
  readRequests,
  REQUEST_KEPT,
  type AccessRequest,
  type RequestAnswer,
} from '../../protocol/request.ts'
import { writeAtomically } from '../../node/atomic-file.ts'
import type { StateParts } from '../state/state-damage.ts'
import { readOrBegin, STATE_FILES, type ReadState } from '../state/state.ts'

/** The requests that a device may send in a day. */
const MOST_OF_ONE = 10
/**
 * The most requests that wait at a time: of all, and of unknown devices, whose addresses anybody can make
 * up.
 */
const MOST_WAITING = 100
const MOST_UNKNOWN = 20

/** Why a request is not taken: one of the device waits, it asked too often, or too many others wait. */
export type AskFault = 'waiting' | 'too-often' | 'too-many'

/** The request of a device. */
export interface Ask {
  readonly mac: string
  readonly minutes: number
  readonly words: string
}

interface Parts extends Pick<StateParts, 'folder' | 'nowSeconds'> {
  /** Hears of files that could not be read, and of those that were written anew. */
  readonly damage: Pick<StateParts['damage'], 'note' | 'over'>
  /** Whether a device of the policy has a MAC address. */
  readonly isKnown: (mac: string) => boolean
  /** Hears that a request came or was answered. */
  readonly changed: () => void
}

/** The requests for more time of the last day, with their answers; they are on disk before they count. */
export class RequestHolder {
  /** The newest last. */
  #requests: readonly AccessRequest[] = []
  readonly #writing = new Mutex()

  constructor(private readonly parts: Parts) {}

  /** Every request of the last day, the newest last. */
  all(): readonly AccessRequest[] {
    const now = this.parts.nowSeconds()
    return this.#requests.filter(({ at }) => Math.abs(now - readInstant(at)!) < REQUEST_KEPT)
  }

  /** The latest request of a device within the last day; `null` where there is none. */
  latest(mac: string): AccessRequest | null {
    return this.all().findLast((request) => request.mac === mac) ?? null
  }

  /**
   * Takes a request of a device.
   *
   * @returns why it is not taken; `null` where it is
   * @throws FileFault
   */
  ask({ mac, minutes, words }: Ask): Promise<AskFault | null> {
    return this.#writing.runExclusive(async () => {
      const { nowSeconds, isKnown } = this.parts
      const now = nowSeconds()
      const all = this.all()
      const waiting = all.filter((request) => isWaiting(request, now))
      const own = all.filter((request) => request.mac === mac)
      if (waiting.some((request) => request.mac === mac)) return 'waiting'
      if (own.length >= MOST_OF_ONE) return 'too-often'
      const unknown = waiting.filter((request) => !isKnown(request.mac))
      if (waiting.length >= MOST_WAITING) return 'too-many'
      if (!isKnown(mac) && unknown.length >= MOST_UNKNOWN) return 'too-many'
      const id = randomBytes(9).toString('base64url')
      await this.#store([...all, { id, mac, minutes, words, at: instantText(now), answer: null }])
      return null
    })
  }

  /**
   * Takes the answer to a request.
   *
   * @returns whether there is such a request
   * @throws FileFault
   */
  answer(id: string, answer: RequestAnswer): Promise<boolean> {
    return this.#writing.runExclusive(async () => {
      const all = this.all()
      if (!all.some((request) => request.id === id)) return false
      await this.#store(all.map((request) => (request.id === id ? { ...request, answer } : request)))
      return true
    })
  }

  /** Takes up what the state folder holds. */
  async restore(): Promise<void> {
    const { folder, damage } = this.parts
    if (folder === null) return
    const kept = await readKeptRequests(folder)
    if (kept.damage) damage.note(kept.damage)
    this.#requests = kept.value
  }

  async #store(requests: readonly AccessRequest[]): Promise<void> {
    const { folder, damage, changed } = this.parts
    if (folder !== null) {
      const file = join(folder, STATE_FILES.requests)
      await writeAtomically(file, JSON.stringify(requests))
      damage.over(file)
    }
    this.#requests = requests
    changed()
  }
}

/** Reads the requests for more time. */
function readKeptRequests(folder: string): Promise<ReadState<readonly AccessRequest[]>> {
  return readOrBegin(join(folder, STATE_FILES.requests), (text) => readRequests(JSON.parse(text)), [])
}
