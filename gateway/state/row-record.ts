import { errorText } from '../../core/words/error-text.ts'
import { join } from 'node:path'
import { Mutex } from 'async-mutex'
import { UNTIL_OVER } from './trouble-log.ts'
import { rowStore, setAside, type RowFormat, type Rows, type RowStore } from './row-store.ts'
import type { StateParts } from './state-damage.ts'

/** The milliseconds between two writes of rows. */
const WRITE_EVERY_MS = 60_000

/** The surroundings of a record. */
export interface RowRecordParts<T> extends StateParts {
  /** The name of its file in the state folder. */
  readonly name: string
  /** Its contents in words, such as "what was looked up". */
  readonly what: string
  readonly rows: Rows<T>
  readonly format: RowFormat<T>
}

/** Rows on disk: read at the start, then written down every minute. */
export class RowRecord<T> {
  /** Writing has a queue of its own: a slow disk holds up nobody. */
  readonly #writing = new Mutex()
  readonly #file: string | null
  readonly #store: RowStore | null
  #timer: NodeJS.Timeout | undefined

  constructor(private readonly parts: RowRecordParts<T>) {
    this.#file = parts.folder === null ? null : join(parts.folder, parts.name)
    this.#store = this.#file === null ? null : rowStore(this.#file, parts.rows, parts.format)
  }

  /** Reads what was written down; what is damaged is an alarm and left out. */
  async restore(): Promise<void> {
    if (this.#file === null) return
    const file = this.#file
    const { damage, what } = this.parts
    try {
      const bad = await this.#store!.restore()
      if (bad === 1) damage.note({ file, words: 'has 1 damaged line, which was left out' })
      if (bad > 1) damage.note({ file, words: `has ${bad} damaged lines, which were left out` })
    } catch (error) {
      const why = errorText(error)
      damage.note({ file, words: `${why} ${what[0]!.toUpperCase()}${what.slice(1)} is begun anew` })
      await setAside(file).catch((failed: unknown) =>
        this.parts.fault(failed, `moving ${file} out of the way`),
      )
    }
  }

  /** Begins to write down what changes. */
  start(): void {
    const write = () =>
      this.write().catch((error: unknown) => {
        this.parts.troubles.note('disk', this.#file!, this.parts.nowSeconds(), UNTIL_OVER)
        this.parts.fault(error, `writing down ${this.parts.what}`)
      })
    this.#timer = setInterval(() => void write(), WRITE_EVERY_MS)
    this.#timer.unref()
  }

  /**
   * Writes down what changed; with `whole` the file is written anew, so that nothing is left in it that is no
   * longer kept.
   *
   * @throws FileFault
   */
  write(whole = false): Promise<void> {
    return this.#writing.runExclusive(async () => {
      if (this.#store === null) return
      await this.#store.write(whole)
      this.parts.troubles.over('disk', this.#file!)
    })
  }

  /**
   * Ends it, with what changed written down.
   *
   * @throws FileFault
   */
  stop(): Promise<void> {
    clearInterval(this.#timer)
    return this.write()
  }
}
