import { onScopeDispose, ref, shallowRef, type ShallowRef } from 'vue'
import { shellText } from '../text/shell.ts'

/** The answer of a worker that reads a text: its progress (0 to 1), the result, or the fault. */
type Answer<S> = { readonly progress: number } | { readonly summary: S } | { readonly fault: string }

/**
 * Reads a text or a file in a worker of its own; a newer reading ends an older one. `start` makes the worker.
 */
export function useReader<Q, S>(start: () => Worker) {
  const summary = shallowRef(null) as ShallowRef<S | null>
  /** The share that is read, 0 to 1; `null` while nothing is being read. */
  const progress = ref<number | null>(null)
  const trouble = ref('')
  let worker: Worker | null = null

  function stop(): void {
    worker?.terminate()
    worker = null
    progress.value = null
  }

  /** Begins to read; `null` takes back what was read. */
  function read(question: Q | null): void {
    stop()
    trouble.value = ''
    if (question === null) {
      summary.value = null
      return
    }
    progress.value = 0
    worker = start()
    worker.onmessage = ({ data }: MessageEvent<Answer<S>>) => {
      if ('progress' in data) {
        progress.value = data.progress
        return
      }
      if ('summary' in data) summary.value = data.summary
      else trouble.value = shellText.notRead(data.fault)
      stop()
    }
    worker.postMessage(question)
  }

  onScopeDispose(stop)
  return { summary, progress, trouble, read }
}
