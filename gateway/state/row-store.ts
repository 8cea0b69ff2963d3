import { appendFile, chmod, rename, rm } from 'node:fs/promises'
import { createReadStream, createWriteStream } from 'node:fs'
import { createInterface } from 'node:readline'
import { pipeline } from 'node:stream/promises'
import { FileFault } from '../../node/atomic-file.ts'

/** The lines that are no longer needed from which a file is written anew. */
const SPARE = 50_000
/** The lines that are joined before others get their turn. */
const AT_ONCE = 500

/** Rows that are kept in memory. */
export interface Rows<T> {
  all(): T[]
  /** The rows that are new or changed since this was last asked. */
  changes(): T[]
  size(): number
  /** Takes in rows that were written down before, in their order, before the first is added. */
  restore(rows: readonly T[]): void
}

/** The form of a row in a line: a JSON list. */
export interface RowFormat<T> {
  write(row: T): readonly unknown[]
  /** `null` where it is no row. */
  read(parts: readonly unknown[]): T | null
  /** Returns the key of a row: a later line with it replaces an earlier one. */
  keyOf(row: T): string
  /** By which rows are ordered. */
  orderOf(row: T): string
}

/** Rows in a file: a line a row, appended. */
export interface RowStore {
  /**
   * Reads what is there.
   *
   * @returns how many lines could not be read; they are left out
   * @throws FileFault
   */
  restore(): Promise<number>
  /**
   * Appends what changed; where the file has grown far beyond what is kept, after a write that failed, or with
   * `anew`, it is written anew, with all that is kept. One at a time.
   *
   * @throws FileFault
   */
  write(anew?: boolean): Promise<void>
}

/** The store of rows in a file. */
export function rowStore<T>(file: string, rows: Rows<T>, format: RowFormat<T>): RowStore {
  const lineOf = (row: T) => `${JSON.stringify(format.write(row))}\n`
  let lines = 0
  /** Whether the last write failed: rows of it may be missing, and the last line may be a part of one. */
  let isTorn = false
  const rewrite = async () => {
    const all = rows.all()
    rows.changes()
    const parts = function* () {
      for (let at = 0; at < all.length; at += AT_ONCE)
        yield all
          .slice(at, at + AT_ONCE)
          .map(lineOf)
          .join('')
    }
    await pipeline(parts(), createWriteStream(`${file}.new`, { mode: 0o600, flush: true }))
    await rename(`${file}.new`, file)
    lines = all.length
  }
  return {
    restore: async () => {
      const found = new Map<string, T>()
      let bad = 0
      try {
        for await (const line of createInterface({
          input: createReadStream(file, 'utf8'),
          crlfDelay: Infinity,
        })) {
          lines++
          const row = rowOf(line, format)
          if (row) found.set(format.keyOf(row), row)
          else bad++
        }
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code === 'ENOENT') return 0
        throw new FileFault(file, 'read', error as NodeJS.ErrnoException)
      }
      const order = format.orderOf
      rows.restore(
        [...found.values()].sort((a, b) => (order(a) < order(b) ? -1 : Number(order(a) > order(b)))),
      )
      rows.changes()
      return bad
    },
    write: async (anew = false) => {
      try {
        const isAnew = anew || isTorn || lines > 2 * rows.size() + SPARE
        isTorn = true
        if (isAnew) {
          await rewrite()
          isTorn = false
          return
        }
        const changed = rows.changes()
        for (let at = 0; at < changed.length; at += AT_ONCE)
          await appendFile(
            file,
            changed
              .slice(at, at + AT_ONCE)
              .map(lineOf)
              .join(''),
            { mode: 0o600 },
          )
        lines += changed.length
        isTorn = false
      } catch (error) {
        throw new FileFault(file, 'written', error as NodeJS.ErrnoException)
      }
    },
  }
}

/** Puts a damaged file out of the way, beside where it was, for whoever wants to look into it. */
export async function setAside(file: string): Promise<void> {
  await rm(`${file}.damaged`, { force: true, recursive: true })
  await rename(file, `${file}.damaged`)
  await chmod(`${file}.damaged`, 0o600).catch(() => {})
}

/** Whether a value is an instant as it is written in UTC, without fractions. */
export const isInstant = (value: unknown): value is string =>
  typeof value === 'string' && /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ$/.test(value)

function rowOf<T>(line: string, format: RowFormat<T>): T | null {
  try {
    const parts: unknown = JSON.parse(line)
    return Array.isArray(parts) ? format.read(parts) : null
  } catch {
    return null
  }
}
