import { readIfThere } from '../../../../node/atomic-file.ts'
import type { RouterSystem } from '../system.ts'

/** A clock that is off by so many milliseconds from one look to the next was set. */
const JUMP_MS = 2000

/** The clock of the router; in tests, ahead of it by the seconds in a file. */
export class RouterClock {
  #aheadSeconds = 0
  /** By how much the router's clock is ahead of this machine's, in milliseconds. */
  #routerMs = 0
  #expectedApart = this.#apart()

  constructor(
    private readonly system: RouterSystem,
    private readonly aheadFile: string | null,
  ) {}

  /** By how many seconds it is ahead of the kernel's. */
  get aheadSeconds(): number {
    return this.#aheadSeconds
  }

  /** Returns its time in milliseconds since 1970. */
  now(): number {
    return Date.now() + this.#routerMs + this.#aheadSeconds * 1000
  }

  /** Returns its time in whole seconds since 1970. */
  seconds(): number {
    return Math.floor(this.now() / 1000)
  }

  /** Reads by how much it is ahead. */
  async read(): Promise<void> {
    this.#routerMs = await this.system.aheadMs()
    if (this.aheadFile === null) return
    this.#aheadSeconds = Number((await readIfThere(this.aheadFile)) ?? 0)
  }

  /**
   * Looks whether it was set since this was last asked.
   *
   * @returns by how many seconds, forward; `null` where it only went on
   */
  jump(): number | null {
    const jumpMs = this.#apart() - this.#expectedApart
    this.#expectedApart += jumpMs
    return Math.abs(jumpMs) > JUMP_MS ? Math.round(jumpMs / 1000) : null
  }

  /** Returns its distance from a monotonic clock. */
  #apart(): number {
    return this.now() - performance.now()
  }
}
