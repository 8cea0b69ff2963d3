import { defineStore } from 'pinia'
import { computed, onScopeDispose, reactive, ref, shallowRef } from 'vue'
import type { Policy } from '../../core/policy/types.ts'
import type { Evidence } from '../../protocol/gateway.ts'
import type {
  AsideAnswer,
  DraftPartsAnswer,
  GatewayAnswer,
  LiveAnswer,
  SeenNameAnswer,
  SightingAnswer,
  StepsAnswer,
  Topic,
} from '../../protocol/answers.ts'
import type { Seen } from '../../core/change/hours.ts'
import { callApi, wordsOf } from '../composables/useApi.ts'
import { keepEqual } from '../composables/keepEqual.ts'
import { shellText } from '../text/shell.ts'

/** How long a page waits for what the gateway says, in milliseconds. */
const PATIENCE = 2000

/**
 * What the server knows of the network, kept up to date by its events. Policies are plain data, so that a
 * worker can take them.
 */
export const useNetwork = defineStore('network', () => {
  const draft = shallowRef<Policy | null>(null)
  const asides = shallowRef<readonly AsideAnswer[]>([])
  const steps = shallowRef<StepsAnswer>({ undo: null, redo: null })
  const live = shallowRef<LiveAnswer | null>(null)
  const gateway = shallowRef<GatewayAnswer | null>(null)
  const sightings = shallowRef<readonly SightingAnswer[]>([])
  const evidence = shallowRef<Evidence | null>(null)
  /** The names that were looked up on the network lately; `null` until something on the screen needs them. */
  const seenNames = shallowRef<readonly SeenNameAnswer[] | null>(null)
  /**
   * What went wrong, by what was asked for or on the page itself: what goes well takes back its own words
   * alone.
   */
  const faults = reactive(new Map<keyof typeof ask | 'names' | 'page', string>())
  const broken = ref(false)
  /** What went wrong, or that the server's events do not come; `null` while all is well. */
  const trouble = computed(() => [...faults.values()][0] ?? (broken.value ? shellText.connectionLost : null))
  /** What was answered once, or could not be. */
  const known = reactive(new Set<keyof typeof ask | 'names'>())
  /**
   * Whether who waits has waited long enough for what the gateway says: a gateway that hangs must not keep
   * the pages away.
   */
  const waited = ref(false)
  setTimeout(() => (waited.value = true), PATIENCE)
  const ready = computed(
    () =>
      draft.value !== null &&
      live.value !== null &&
      (waited.value || (known.has('gateway') && known.has('sightings'))),
  )
  const zone = computed(() => live.value?.policy.place.timeZone ?? draft.value?.place.timeZone ?? 'UTC')

  /**
   * Where each address is that was seen on the network and is connected, or belongs to a device. Plain data,
   * for a worker; the same object while it says the same.
   */
  const whereabouts = computed((before?: readonly Seen[]) =>
    keepEqual(
      before,
      sightings.value
        .filter(
          ({ connected, mac }) =>
            connected ||
            draft.value?.devices.some(({ adapters }) => adapters.some((adapter) => adapter.mac === mac)),
        )
        .map(({ mac, interface: seenOn, addresses }): Seen => ({
          mac,
          interface: seenOn,
          addresses: [...addresses],
        })),
    ),
  )

  let draftMark = ''
  // It changes every second, so it is asked for only while something on the screen shows it.
  let readers = 0
  const ask: Record<Exclude<Topic, 'session'>, () => Promise<void>> = {
    draft: async () => {
      // What the screen waits for goes first; the parts that did not change stay the objects that they are.
      const { mark, parts } = await callApi<DraftPartsAnswer>('GET', `/api/draft/parts?mark=${draftMark}`)
      draft.value = { kairostat: 1, overrides: [], ...draft.value, ...parts } as Policy
      draftMark = mark
      ;[steps.value, asides.value] = await Promise.all([
        callApi<StepsAnswer>('GET', '/api/draft/steps'),
        callApi<AsideAnswer[]>('GET', '/api/asides'),
      ])
    },
    live: async () => {
      // Lists may be long, and stay as they are while only overrides change.
      const before = live.value
      const answer = await callApi<LiveAnswer & { policy: { siteLists: Policy['siteLists'] | null } }>(
        'GET',
        `/api/live${before?.revision ? `?lists=${before.revision.number}` : ''}`,
      )
      live.value = {
        ...answer,
        policy: { ...answer.policy, siteLists: answer.policy.siteLists ?? before!.policy.siteLists },
      }
    },
    gateway: async () => {
      gateway.value = await callApi('GET', '/api/gateway')
    },
    sightings: async () => {
      sightings.value = await callApi('GET', '/api/sightings')
    },
    evidence: async () => {
      if (readers > 0 && gateway.value?.state !== 'away')
        evidence.value = await callApi('GET', '/api/evidence')
    },
  }

  const turns = new Map<keyof typeof ask, { again: boolean; done: Promise<void> }>()
  // One request a topic at a time, and once more after it where that was wished meanwhile: an older answer
  // never comes after a newer one.
  function askAnew(topic: keyof typeof ask): Promise<void> {
    const running = turns.get(topic)
    if (running) {
      running.again = true
      return running.done
    }
    const turn = { again: true, done: Promise.resolve() }
    turns.set(topic, turn)
    turn.done = (async () => {
      while (turn.again) {
        turn.again = false
        await ask[topic]()
      }
    })().finally(() => turns.delete(topic))
    return turn.done
  }

  /** Asks for some topics anew; what goes wrong is in `trouble`. */
  async function load(
    topics: readonly (keyof typeof ask)[] = ['draft', 'live', 'gateway', 'sightings', 'evidence'],
  ): Promise<void> {
    await Promise.all(topics.map((topic) => telling(topic, askAnew(topic))))
  }

  async function telling(topic: keyof typeof ask | 'names', asking: Promise<void>): Promise<void> {
    try {
      await asking
      faults.delete(topic)
    } catch (error) {
      faults.set(topic, wordsOf(error))
    }
    known.add(topic)
  }

  /** What somebody unknown is called: the name that the device gave itself, or its address. */
  function nameOfMac(mac: string): string {
    return sightings.value.find((seen) => seen.mac === mac)?.hostName ?? mac
  }

  /** Whether one of these addresses is of the machine that the page is shown on. */
  function isYours(macs: readonly string[]): boolean {
    return sightings.value.some(({ yours, mac }) => yours && macs.includes(mac))
  }

  let walking: Promise<unknown> = Promise.resolve()
  /**
   * Undoes or redoes an edit of the draft, after those that were asked for before: the one with this number,
   * or the next there is. Throws ApiError.
   */
  function walk(to: 'undo' | 'redo', step?: number): Promise<void> {
    const turn = walking.then(async () => {
      const number = step ?? steps.value[to]
      if (number !== null) steps.value = await callApi('POST', '/api/draft/steps', { to, step: number })
    })
    walking = turn.catch(() => {})
    return turn
  }

  /** Keeps the evidence up to date as long as the component that calls this is there. */
  function readEvidence(): void {
    readers++
    void load(['evidence'])
    onScopeDispose(() => readers--)
  }

  /**
   * Keeps the names seen up to date, to the half minute, as long as the component that calls this is there.
   */
  function readNames(): void {
    const ask = async () => {
      seenNames.value = await callApi<SeenNameAnswer[]>('GET', '/api/lookups')
    }
    void telling('names', ask())
    const timer = setInterval(() => void telling('names', ask()), 30_000)
    onScopeDispose(() => {
      clearInterval(timer)
      faults.delete('names')
    })
  }

  /**
   * Asks for everything and follows the server's events until the function that comes back is called. All is
   * asked when the stream is open, so that nothing happens unheard in between; one that breaks is opened
   * again by the browser.
   */
  function follow(): () => void {
    const source = new EventSource('/api/events')
    source.onmessage = ({ data }: MessageEvent<string>) =>
      void load(data === 'session' ? ['gateway'] : [data as keyof typeof ask])
    source.onerror = () => {
      // Without a stream, what the server says to a plain question is the reason.
      if (!broken.value) void load()
      broken.value = true
    }
    source.onopen = () => {
      broken.value = false
      void load()
    }
    return () => source.close()
  }

  return {
    draft,
    steps,
    asides,
    live,
    gateway,
    sightings,
    evidence,
    seenNames,
    faults,
    trouble,
    ready,
    zone,
    whereabouts,
    load,
    walk,
    nameOfMac,
    isYours,
    readEvidence,
    readNames,
    follow,
  }
})
