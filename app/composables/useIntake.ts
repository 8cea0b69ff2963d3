import { onScopeDispose, ref, shallowRef } from 'vue'
import type { Policy } from '../../core/policy/types.ts'
import type { IntakeAnswer, IntakeQuestion, IntakeSummary } from '../workers/intake.ts'

/** Reads addresses out of a text or a file in a worker; a newer text ends the reading of an older one. */
export function useIntake() {
  const summary = shallowRef<IntakeSummary | null>(null)
  /** The share that is read, 0 to 1; `null` while nothing is being read. */
  const progress = ref<number | null>(null)
  const trouble = ref('')
  let worker: Worker | null = null

  function stop(): void {
    worker?.terminate()
    worker = null
    progress.value = null
  }

  /** Begins to read; the empty text takes back what was read. */
  function read(source: string | File, draft: Policy): void {
    stop()
    trouble.value = ''
    if (source === '') {
      summary.value = null
      return
    }
    progress.value = 0
    worker = new Worker(new URL('../workers/intake.ts', import.meta.url), { type: 'module' })
    worker.onmessage = ({ data }: MessageEvent<IntakeAnswer>) => {
      if ('progress' in data) {
        progress.value = data.progress
        return
      }
      if ('summary' in data) summary.value = data.summary
      else trouble.value = `This could not be read: ${data.fault}`
      stop()
    }
    worker.postMessage({ source, draft } satisfies IntakeQuestion)
  }

  onScopeDispose(stop)
  return { summary, progress, trouble, read }
}
