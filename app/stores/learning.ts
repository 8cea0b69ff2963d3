import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { proposalsOf, type WatchedName } from '../../core/evidence/learn.ts'
import { instantText } from '../../core/time/instant.ts'
import { callApi, wordsOf } from '../composables/useApi.ts'
import { useGateway } from './gateway.ts'

/** The time between two questions for the look-ups of a watched device. */
const ASK_EVERY_MS = 2000

/**
 * A device that is watched to learn what an app asks for; it goes on while one looks at other pages. Instants
 * are in seconds.
 */
export interface Watched {
  readonly device: string
  readonly macs: readonly string[]
  readonly from: number
  readonly until: number | null
}

/** Watching a device: when it began, when it ended, and what the device looked up in between. */
export const useLearning = defineStore('learning', () => {
  const gateway = useGateway()
  const watched = ref<Watched | null>(null)
  const names = shallowRef<readonly WatchedName[] | null>(null)
  const trouble = ref('')
  const proposals = computed(() => names.value && proposalsOf(names.value))
  let timer: ReturnType<typeof setInterval> | undefined
  const now = () => Math.floor(Date.now() / 1000)
  // Look-ups are dated by the gateway's clock.
  const theirs = (at: number) => instantText(at + (gateway.answered?.ahead ?? 0))

  async function ask(): Promise<void> {
    const asked = watched.value
    if (!asked) return
    try {
      const query = new URLSearchParams({
        macs: asked.macs.join(','),
        from: theirs(asked.from),
        until: theirs(asked.until ?? now() + 1),
      })
      const found = await callApi<WatchedName[]>('GET', `/api/lookups/learned?${query}`)
      if (watched.value?.from === asked.from) names.value = found
      trouble.value = ''
    } catch (error) {
      trouble.value = wordsOf(error)
    }
  }

  /** Begins to watch a device, in place of one that was watched. */
  function start(device: string, macs: readonly string[]): void {
    end()
    watched.value = { device, macs: [...macs], from: now(), until: null }
    timer = setInterval(() => void ask(), ASK_EVERY_MS)
    void ask()
  }

  /** Ends the watching; what was found stays until `end`. */
  async function stop(): Promise<void> {
    clearInterval(timer)
    if (watched.value) watched.value = { ...watched.value, until: now() + 1 }
    await ask()
  }

  /** Forgets what was watched. */
  function end(): void {
    clearInterval(timer)
    watched.value = null
    names.value = null
    trouble.value = ''
  }

  return { watched, proposals, trouble, start, stop, end }
})
