import { Semaphore } from 'async-mutex'
import { isMainThread, parentPort, Worker } from 'node:worker_threads'
import type { ZoneText } from './list-source-sql.ts'
import { builtFile } from '../../node/built-file.ts'
import { ListFault } from './list-fetch.ts'
import { compareList, type ListFound, type ListJob } from './list-compare.ts'
import { transferZone, type ZoneSource } from './zones/zone-transfer.ts'

/** The most memory of a thread, in megabytes, and the most threads at a time. */
const [MOST_MEGABYTES, THREADS] = [768, 2]
const threads = new Semaphore(THREADS)

/** The job of a thread: to compare a list, or to fetch a zone. */
type Job = { readonly compare: ListJob } | { readonly zone: ZoneSource; readonly known: ZoneText | null }
/** The outcome of a job: its result, or the reason for which there is none. */
type Outcome = { readonly found: unknown } | { readonly fault: string }

/**
 * Compares a list in a thread of its own, so that the server answers others meanwhile. From sources, as in
 * tests, this thread does it.
 *
 * @throws ListFault where the thread ended, for want of memory
 */
export const compareInThread = (compare: ListJob) => inThread({ compare }) as Promise<ListFound>

/**
 * Fetches a zone likewise: what a server sends may be anything.
 *
 * @returns the zone as it is now; `null` = it is as it was
 * @throws ListFault
 */
export const transferInThread = (zone: ZoneSource, known: ZoneText | null) =>
  inThread({ zone, known }) as Promise<ZoneText | null>

async function inThread(job: Job): Promise<unknown> {
  if (import.meta.url.endsWith('.ts')) return work(job)
  const program = await builtFile('list-thread.mjs')
  if (program === null) throw new Error('The build lacks list-thread.mjs: build Kairostat again.')
  return threads.runExclusive(async () => {
    const thread = new Worker(program, {
      argv: [],
      resourceLimits: { maxOldGenerationSizeMb: MOST_MEGABYTES },
    })
    try {
      return await new Promise((resolve, reject) => {
        thread.once('message', (outcome: Outcome) => {
          if ('fault' in outcome) reject(new ListFault(outcome.fault))
          else resolve(outcome.found)
        })
        thread.once('error', (error) => reject(new ListFault(faultWords(error))))
        thread.once('exit', () => reject(new ListFault('The list could not be read: its thread ended')))
        thread.postMessage(job)
      })
    } finally {
      await thread.terminate()
    }
  })
}

async function work(job: Job): Promise<unknown> {
  if ('compare' in job) return compareList(job.compare)
  const { zone, known } = job
  const key = zone.key && { ...zone.key, secret: Buffer.from(zone.key.secret) }
  const lines = known?.text.split('\n').filter(Boolean) ?? []
  const copy = await transferZone({ ...zone, key }, known && { serial: known.serial, lines })
  return copy && { serial: copy.serial, text: copy.lines.join('\n') }
}

/** Why a thread ended, in words for people. */
function faultWords(error: Error): string {
  return (error as NodeJS.ErrnoException).code === 'ERR_WORKER_OUT_OF_MEMORY'
    ? 'The list is too large for the memory of this server'
    : `The list could not be read: ${error.message}`
}

if (!isMainThread && parentPort) {
  const port = parentPort
  port.once('message', (job: Job) => {
    work(job).then(
      (found) => port.postMessage({ found } satisfies Outcome),
      (error: unknown) => {
        // Anything else than what was foreseen ends the thread, which is told.
        if (!(error instanceof ListFault)) throw error
        port.postMessage({ fault: error.message } satisfies Outcome)
      },
    )
  })
}
