import { appendFile, chmod, rename, rm } from 'node:fs/promises'
import { createReadStream, createWriteStream } from 'node:fs'
import { createInterface } from 'node:readline'
import { pipeline } from 'node:stream/promises'
import { FileFault } from './atomic-file.ts'
import type { LookupLog } from './lookups.ts'
import type { Lookup } from '../protocol/gateway.ts'

/** How many lines beside those that are needed a file has before it is written anew. */
const SPARE = 50_000
/** How many lines are put together before others get their turn. */
const AT_ONCE = 500

/**
 * What was looked up, in a file: a line a run, appended; a later line of a run takes the place of an earlier
 * one.
 */
export interface LookupStore {
  /**
   * Reads what is there into the log.
   *
   * @returns how many lines could not be read; they are left out
   * @throws FileFault
   */
  restore(): Promise<number>
  /**
   * Appends what changed; where the file has grown far beyond what is kept, or with `anew`, it is written
   * anew. One at a time.
   *
   * @throws FileFault
   */
  write(anew?: boolean): Promise<void>
}

/** The store of a log in a file. */
export function lookupStore(file: string, log: LookupLog): LookupStore {
  let lines = 0
  const rewrite = async () => {
    const all = log.since(-Infinity)
    log.changes()
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
      const runs = new Map<string, Lookup>()
      let bad = 0
      try {
        for await (const line of createInterface({
          input: createReadStream(file, 'utf8'),
          crlfDelay: Infinity,
        })) {
          lines++
          const run = runOf(line)
          if (run) runs.set(`${run.mac} ${run.effect} ${run.first} ${run.name}`, run)
          else bad++
        }
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code === 'ENOENT') return 0
        throw new FileFault(file, 'read', error as NodeJS.ErrnoException)
      }
      log.restore([...runs.values()].sort((a, b) => (a.first < b.first ? -1 : Number(a.first > b.first))))
      log.changes()
      return bad
    },
    write: async (anew = false) => {
      try {
        if (anew || lines > 2 * log.size() + SPARE) return await rewrite()
        const changed = log.changes()
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

const lineOf = ({ mac, name, effect, first, last, tries }: Lookup) =>
  `${JSON.stringify([mac, name, effect, first, last, tries])}\n`

function runOf(line: string): Lookup | null {
  try {
    const [mac, name, effect, first, last, tries] = JSON.parse(line) as unknown[]
    const isText = [mac, name, first, last].every((value) => typeof value === 'string')
    const areTimes = [first, last].every((value) => /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ$/.test(String(value)))
    if (!isText || !areTimes || (effect !== 'allow' && effect !== 'block') || !Number.isInteger(tries))
      return null
    return { mac, name, effect, first, last, tries } as Lookup
  } catch {
    return null
  }
}
