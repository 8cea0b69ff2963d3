import { isMainThread, parentPort, Worker } from 'node:worker_threads'
import { builtFile } from '../built-file.ts'
import { ListFault } from './list-fetch.ts'
import { compareList, type ListFound, type ListJob } from './list-compare.ts'

/**
 * Compares a list in a thread of its own, so that the server answers others meanwhile. From sources, as in tests,
 * this thread does it.
 *
 * @throws ListFault where the thread ended, for want of memory
 */
export async function compareInThread(job: ListJob): Promise<ListFound> {
  if (import.meta.url.endsWith('.ts')) return compareList(job)
  const program = await builtFile('list-thread.mjs')
  if (program === null) throw new Error('The build lacks list-thread.mjs: build Kairostat again.')
  const thread = new Worker(program, { argv: [] })
  try {
    return await new Promise<ListFound>((resolve, reject) => {
      thread.once('message', resolve)
      thread.once('error', (error) => reject(new ListFault(faultWords(error))))
      thread.once('exit', () => reject(new ListFault('The list could not be read: its thread ended')))
      thread.postMessage(job)
    })
  } finally {
    await thread.terminate()
  }
}

/** Why a thread ended, in words for people. */
function faultWords(error: Error): string {
  return (error as NodeJS.ErrnoException).code === 'ERR_WORKER_OUT_OF_MEMORY'
    ? 'The list is too large for the memory of this server'
    : `The list could not be read: ${error.message}`
}

if (!isMainThread && parentPort) {
  const port = parentPort
  port.once('message', (job: ListJob) => port.postMessage(compareList(job)))
}
