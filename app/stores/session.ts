import { useTimeout } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, reactive, ref } from 'vue'
import type { SessionAnswer, Topic } from '../../protocol/answers.ts'
import { apiPath } from '../model/address.ts'
import { wordsOf } from '../composables/useApi.ts'
import { shellText } from '../text/shell.ts'

/**
 * The time that a page waits for the gateway, in milliseconds.
 */
const PATIENCE_MS = 6000

/** The parts that every page shows; the account comes with the events. */
const USUAL = ['draft', 'live', 'gateway', 'sightings', 'evidence', 'requests', 'saved-acts'] as const

type Source = Exclude<Topic, 'session'> | 'names' | 'me'

/** Connects the page with the server: it has the stores load the parts that changed, and shows errors. */
export const useSession = defineStore('session', () => {
  const loaders = new Map<Source, () => Promise<void>>()
  /** Whether all was asked for: a store that is made later loads by itself. */
  let hasLoaded = false
  /**
   * The errors, by their source or on the page itself: a success removes the error of its own source alone.
   */
  const faults = reactive(new Map<Source | 'page', string>())
  const isCutOff = ref(false)
  /** The current error, or the loss of the server's events; `null` while all is well. */
  const trouble = computed(
    () => [...faults.values()][0] ?? (isCutOff.value ? shellText.connectionLost : null),
  )
  /** The parts that were answered once, or could not be. */
  const known = reactive(new Set<Source>())
  /** A gateway that hangs must not keep the pages away. */
  const hasWaited = useTimeout(PATIENCE_MS)
  const isReady = computed(() => hasWaited.value || (known.has('gateway') && known.has('sightings')))

  /** Says how a store loads a part: with all others when the stream opens, and whenever it changed. */
  function follows(source: Source, load: () => Promise<void>): void {
    loaders.set(source, load)
    if (hasLoaded && USUAL.some((usual) => usual === source)) void loadFrom(source)
  }

  /** Loads from some sources anew; what goes wrong is in `trouble`. */
  async function load(sources: readonly Source[] = USUAL): Promise<void> {
    await Promise.all(sources.map(loadFrom))
  }

  async function loadFrom(source: Source): Promise<void> {
    try {
      await loaders.get(source)?.()
      faults.delete(source)
    } catch (error) {
      faults.set(source, wordsOf(error))
    }
    known.add(source)
  }

  /**
   * Loads everything and follows the server's events until the function that comes back is called. All is
   * loaded when the stream is open, so that nothing happens unheard in between; one that breaks is opened
   * again by the browser.
   *
   * @param greeted hears who is signed in
   */
  function follow(greeted: (who: SessionAnswer) => void): () => void {
    const source = new EventSource(apiPath('/api/events'))
    source.addEventListener('hello', ({ data }: MessageEvent<string>) =>
      greeted(JSON.parse(data) as SessionAnswer),
    )
    source.onmessage = ({ data }: MessageEvent<Topic>) =>
      void load(data === 'session' ? ['gateway', 'me', 'requests'] : [data])
    source.onerror = () => {
      hasLoaded = true
      // Without a stream, what the server says to a plain question is the reason.
      if (!isCutOff.value) void load([...USUAL, 'me'])
      isCutOff.value = true
    }
    source.onopen = () => {
      isCutOff.value = false
      hasLoaded = true
      void load()
    }
    return () => {
      hasLoaded = false
      source.close()
    }
  }

  return { faults, trouble, isReady, follows, load, follow }
})
