import type { FileAnswer, FileQuestion, FileReaders } from '../workers/files.ts'
import { shellText } from '../text/shell.ts'

/** The longest time that reading a file may take. */
const READ_PATIENCE_MS = 30_000

type Rest<T> = T extends (text: string, ...more: infer M) => unknown ? M : never

/**
 * Reads a file in a worker of its own, so that the page goes on whatever it holds.
 *
 * @throws Error that says why it could not be read
 */
export function readFile<K extends keyof FileReaders>(
  kind: K,
  file: File,
  ...more: Rest<FileReaders[K]>
): Promise<ReturnType<FileReaders[K]>> {
  const worker = new Worker(new URL('../workers/files.ts', import.meta.url), { type: 'module' })
  return new Promise<ReturnType<FileReaders[K]>>((resolve, reject) => {
    const fail = (words: string) => reject(new Error(words))
    const timer = setTimeout(
      () => fail(shellText.readingTooLong(file.name, READ_PATIENCE_MS / 1000)),
      READ_PATIENCE_MS,
    )
    worker.onmessage = ({ data }: MessageEvent<FileAnswer>) => {
      clearTimeout(timer)
      if ('fault' in data) fail(data.fault)
      else resolve(data.value as ReturnType<FileReaders[K]>)
    }
    worker.onerror = () => fail(shellText.couldNotRead(file.name))
    worker.postMessage({ kind, file, more } satisfies FileQuestion)
  }).finally(() => worker.terminate())
}
