import { readIfThere, writeAtomically } from '../../../../node/atomic-file.ts'

/** The seconds after which the time is written down again. */
const WRITE_EVERY = 600
/** The seconds by which the clock may be behind the last known time before it counts as wrong. */
const TOLERANCE = 3600

/**
 * The last time that is known to have been, on disk: a router without a battery wakes up in the past, and is
 * told so. A time to which a running clock is set counts as right, also where that is back.
 */
export class ClockFloor {
  #known = -Infinity
  #written = -Infinity

  /** Knows of no time; `file` = where it is kept (`null` = nowhere). */
  constructor(
    private readonly file: string | null,
    private readonly fault: (error: unknown) => void,
  ) {}

  /** Reads what is on disk; what cannot be read is no time. */
  async restore(): Promise<void> {
    if (this.file === null) return
    const known = Number(await readIfThere(this.file).catch(() => null))
    if (Number.isSafeInteger(known) && known > 0) this.#known = this.#written = known
  }

  /** The time before which the clock is wrong at an instant (seconds); `null` = it is right. */
  wrongBefore(at: number): number | null {
    return at < this.#known - TOLERANCE ? this.#known : null
  }

  /** Says what time it is (seconds) by a clock that goes on, or was set while it ran (`isSet`). */
  note(at: number, isSet: boolean): void {
    if (this.wrongBefore(at) !== null && !isSet) return
    this.#known = isSet ? at : Math.max(this.#known, at)
    if (this.file === null || Math.abs(this.#known - this.#written) < WRITE_EVERY) return
    this.#written = this.#known
    writeAtomically(this.file, String(this.#known)).catch(this.fault)
  }
}
