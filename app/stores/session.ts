import { useIntervalFn, useTimeout } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, onScopeDispose, reactive, ref } from 'vue'
import type { SessionAnswer, Topic } from '../../protocol/answers.ts'
import { apiPath } from '../model/address.ts'
import { wordsOf } from '../composables/useApi.ts'
import { shellText } from '../text/shell.ts'
import { useAllowances } from './allowances.ts'
import { useDraftPolicy } from './draft.ts'
import { useGateway } from './gateway.ts'
import { useLists } from './lists.ts'
import { useLive } from './live.ts'
import { useMe } from './me.ts'
import { useRequests } from './requests.ts'

/**
 * The time that a page waits for the gateway, and the time between two questions for the seen names, in
 * milliseconds.
 */
const PATIENCE_MS = 6000
const NAMES_EVERY_MS = 30_000

/** The parts that every page shows; the account comes with the events. */
const USUAL = ['draft', 'live', 'gateway', 'sightings', 'evidence', 'requests'] as const

type Source = Exclude<Topic, 'session'> | 'names' | 'me'

/** Connects the page with the server: it loads the parts that changed, and shows errors. */
export const useSession = defineStore('session', () => {
  const [allowances, lists, draft, live, gateway, me, requests] = [
    useAllowances(),
    useLists(),
    useDraftPolicy(),
    useLive(),
    useGateway(),
    useMe(),
    useRequests(),
  ]
  const loaders: Record<Source, () => Promise<void>> = {
    draft: draft.load,
    live: live.load,
    gateway: gateway.load,
    sightings: gateway.loadSightings,
    evidence: gateway.loadEvidence,
    allowances: allowances.load,
    lists: lists.load,
    names: gateway.loadNames,
    me: me.load,
    requests: requests.load,
  }
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
  const ready = computed(
    () =>
      draft.answered !== null &&
      live.answered !== null &&
      (hasWaited.value || (known.has('gateway') && known.has('sightings'))),
  )

  /** Loads from some sources anew; what goes wrong is in `trouble`. */
  async function load(sources: readonly Source[] = USUAL): Promise<void> {
    await Promise.all(sources.map(loadFrom))
  }

  async function loadFrom(source: Source): Promise<void> {
    try {
      await loaders[source]()
      faults.delete(source)
    } catch (error) {
      faults.set(source, wordsOf(error))
    }
    known.add(source)
  }

  /** Keeps the evidence up to date as long as the component that calls this is there. */
  function readEvidence(): void {
    gateway.countReader()
    void load(['evidence'])
  }

  /**
   * Keeps the names seen up to date, to the half minute, as long as the component that calls this is there.
   */
  function readNames(): void {
    useIntervalFn(() => void load(['names']), NAMES_EVERY_MS, { immediateCallback: true })
    onScopeDispose(() => faults.delete('names'))
  }

  /**
   * Loads everything and follows the server's events until the function that comes back is called. All is
   * loaded when the stream is open, so that nothing happens unheard in between; one that breaks is opened
   * again by the browser.
   */
  function follow(): () => void {
    const source = new EventSource(apiPath('/api/events'))
    source.addEventListener('hello', ({ data }: MessageEvent<string>) =>
      me.take(JSON.parse(data) as SessionAnswer),
    )
    source.onmessage = ({ data }: MessageEvent<Topic>) =>
      void load(data === 'session' ? ['gateway', 'me', 'requests'] : [data])
    source.onerror = () => {
      // Without a stream, what the server says to a plain question is the reason.
      if (!isCutOff.value) void load([...USUAL, 'me'])
      isCutOff.value = true
    }
    source.onopen = () => {
      isCutOff.value = false
      void load()
    }
    return () => source.close()
  }

  return { faults, trouble, ready, load, readEvidence, readNames, follow }
})
