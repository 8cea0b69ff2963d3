import { Semaphore } from 'async-mutex'
import type { ZoneText } from './list-source-sql.ts'
import { builtFile } from '../../node/built-file.ts'
import { serveThread, Thread } from '../../node/thread.ts'
import { ListFault } from './list-fetch.ts'
import { compareList, type ListFound, type ListJob } from './list-compare.ts'
import { transferZone, type ZoneSource } from './zones/zone-transfer.ts'

/** The most memory of a thread, in megabytes, and the most threads at a time. */
const [MAX_MEGABYTES, THREADS] = [768, 2]
const threads = new Semaphore(THREADS)

/** The jobs of a thread, each once. */
const JOBS = { compare: (job: ListJob) => Promise.resolve(compareList(job)), transfer }
const ERRORS = { ListFault }

/**
 * Compares a list in a thread of its own, so that the server answers others meanwhile. From sources, as in
 * tests, this thread does it.
 *
 * @throws ListFault where the thread ended, for want of memory
 */
export const compareInThread = (compare: ListJob) => inThread<ListFound>('compare', [compare])

/**
 * Fetches a zone likewise: what a server sends may be anything.
 *
 * @returns the zone as it is now; `null` = it is as it was
 * @throws ListFault
 */
export const transferInThread = (zone: ZoneSource, known: ZoneText | null) =>
  inThread<ZoneText | null>('transfer', [zone, known])

async function inThread<T>(job: keyof typeof JOBS, args: readonly unknown[]): Promise<T> {
  if (import.meta.url.endsWith('.ts')) return JOBS[job](...(args as [never, never])) as Promise<T>
  const program = await builtFile('list-thread.mjs')
  if (program === null) throw new Error('The build lacks list-thread.mjs: build Kairostat again.')
  return threads.runExclusive(async () => {
    const thread = new Thread(program, {
      errors: ERRORS,
      ended: (error) => new ListFault(faultWords(error)),
      maxMegabytes: MAX_MEGABYTES,
    })
    try {
      return await thread.call<T>(job, args)
    } finally {
      await thread.stop()
    }
  })
}

async function transfer(zone: ZoneSource, known: ZoneText | null): Promise<ZoneText | null> {
  const key = zone.key && { ...zone.key, secret: Buffer.from(zone.key.secret) }
  const lines = known?.text.split('\n').filter(Boolean) ?? []
  const copy = await transferZone({ ...zone, key }, known && { serial: known.serial, lines })
  return copy && { serial: copy.serial, text: copy.lines.join('\n') }
}

/** Why a thread ended, in words for people. */
function faultWords(error: Error | null): string {
  if (error === null) return 'The list could not be read: its thread ended'
  return (error as NodeJS.ErrnoException).code === 'ERR_WORKER_OUT_OF_MEMORY'
    ? 'The list is too large for the memory of this server'
    : `The list could not be read: ${error.message}`
}

serveThread(JOBS, ERRORS)
