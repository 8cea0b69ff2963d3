import { ApiError } from '../errors.ts'

/** The most streams of events that a session may have open. */
const MAX_STREAMS = 20

/** Counts the streams of events that each session has open. */
export class OpenStreams {
  readonly #counts = new Map<string, number>()

  /**
   * Counts one more of a session.
   *
   * @returns what is called when it ended
   * @throws ApiError `too-many-tries`
   */
  add(session: string): () => void {
    const open = this.#counts.get(session) ?? 0
    if (open >= MAX_STREAMS)
      throw new ApiError('too-many-tries', `A session has ${MAX_STREAMS} open pages at most: close some.`)
    this.#counts.set(session, open + 1)
    return () => {
      const left = this.#counts.get(session)! - 1
      if (left > 0) this.#counts.set(session, left)
      else this.#counts.delete(session)
    }
  }
}
