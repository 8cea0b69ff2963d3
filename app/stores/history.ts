import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import type { Policy } from '../../core/policy/types.ts'
import type { PolicyPeriod } from '../../core/decision/periods.ts'
import { instantText } from '../../core/time/instant.ts'
import { DAY } from '../../core/time/duration.ts'
import type { PeriodAnswer } from '../../protocol/answers.ts'
import { periodsOf } from '../model/board/periods.ts'
import { callApi, wordsOf } from '../composables/useApi.ts'
import { wholePolicy } from '../composables/wholePolicy.ts'
import { useMoment } from './moment.ts'
import { useDraftPolicy } from './draft.ts'
import { useLive } from './live.ts'
import { useSession } from './session.ts'

/** The past that is asked for beyond the one needed: the needle mostly goes on. */
const EXTRA_PAST_SECONDS = 14 * DAY
/** After how long what could not be loaded is asked for again, in milliseconds. */
const AGAIN_MS = 5000

/**
 * The policies that were, are and will be in force: for the past the revisions and overrides of that time,
 * from now on what is live, or the draft in its place.
 */
export const useHistory = defineStore('history', () => {
  const [draft, live, session, moment] = [useDraftPolicy(), useLive(), useSession(), useMoment()]
  const past = shallowRef<readonly PeriodAnswer[]>([])
  /** From when on the past is known, in seconds. */
  const known = ref(Infinity)
  const trouble = ref('')
  /** Whether the draft is looked at as if it were live. */
  const showsDraft = ref(false)
  let asked = Infinity
  const revisions = new Map<number, Policy>()

  /**
   * Sees to it that the past is known from an instant (seconds) on; what is live has no past before it was
   * first asked for.
   */
  async function reach(from: number): Promise<void> {
    if (from >= asked) return
    asked = from - EXTRA_PAST_SECONDS
    await load()
  }
  /** Asks for the past anew. */
  async function load(): Promise<void> {
    const from = asked
    if (from === Infinity) return
    try {
      const answer = await callApi<PeriodAnswer[]>(
        'GET',
        `/api/history?from=${instantText(Math.floor(from))}`,
      )
      if (from !== asked) return
      past.value = answer
      known.value = from
      trouble.value = ''
    } catch (error) {
      if (from !== asked) return
      trouble.value = wordsOf(error)
      // It may only be so for a moment: a page that stays asks again by itself.
      setTimeout(() => from === asked && void load(), AGAIN_MS)
    }
  }
  /**
   * The time at which the live policy was heard of, by this machine's clock, which may be behind that of the
   * server (seconds).
   */
  const heardAt = ref(Infinity)
  watch(
    () => live.answered?.revision?.number,
    () => {
      moment.look()
      heardAt.value = moment.now
    },
    { immediate: true, flush: 'sync' },
  )
  watch(() => live.answered, moment.look)
  // The first live policy comes together with its past, which is asked for beside it.
  watch(
    () => live.answered,
    (now, before) => {
      if (before ? now?.digest !== before.digest : now?.revision?.number !== past.value.at(-1)?.number)
        void load()
    },
  )

  /**
   * Whether what was in force before is known, or why it is not has been said: until then nothing is shown.
   */
  const ready = computed(() => known.value !== Infinity || trouble.value !== '')
  const periods = computed((): readonly PolicyPeriod[] => {
    const current = live.answered
    if (!current || !draft.answered || !session.isReady || !ready.value) return []
    const edited = showsDraft.value ? draft.policy : null
    return periodsOf(past.value, { ...current, heardAt: heardAt.value }, edited, moment.minute)
  })
  /** The period in which an instant (seconds) lies, once the periods are known. */
  const periodAt = (at: number) => periods.value.findLast(({ from }) => from <= at)!
  /**
   * The policy in force at an instant (seconds), its lists whole: what was in force before is asked for.
   *
   * @throws ApiError
   */
  async function wholeAt(at: number): Promise<Policy> {
    const period = periodAt(at)
    const number = past.value.find((one) => one.policy === period.policy)?.number ?? null
    if (number === null) return wholePolicy(period.policy)
    // A revision never changes: it is asked for once.
    if (!revisions.has(number))
      revisions.set(number, await callApi<Policy>('GET', `/api/revisions/${number}`))
    return { ...revisions.get(number)!, overrides: period.policy.overrides, spent: period.policy.spent }
  }
  return { periods, ready, known, trouble, showsDraft, reach, load, periodAt, wholeAt }
})
