import { defineStore } from 'pinia'
import { computed } from 'vue'
import { entriesBetween } from '../../core/change/entries.ts'
import { overridesFor, spentFor } from '../../core/policy/overrides.ts'
import { DAY } from '../../core/time/duration.ts'
import { useAsked } from '../composables/useDecider.ts'
import { useMoment } from './moment.ts'
import { useDraftPolicy } from './draft.ts'
import { useGateway } from './gateway.ts'
import { useLive } from './live.ts'

/** What the draft would change: its edits, and the devices whose coming week differs. */
export const useReview = defineStore('review', () => {
  const [draft, live, gateway, moment] = [useDraftPolicy(), useLive(), useGateway(), useMoment()]
  // Overrides, and what was used up, count beside either policy, so both are compared with those that are in force.
  const proposed = computed(
    () =>
      draft.answered &&
      live.answered && {
        ...draft.answered,
        overrides: overridesFor(draft.answered, live.answered.policy.overrides),
        spent: spentFor(draft.answered, live.answered.policy.spent),
      },
  )
  const entries = computed(() =>
    live.answered && draft.answered ? entriesBetween(live.answered.policy, draft.answered) : [],
  )
  const asked = useAsked(() => {
    if (entries.value.length === 0 || !proposed.value) return null
    const from = moment.instant()
    return {
      kind: 'changes' as const,
      before: live.answer.policy,
      after: proposed.value,
      from,
      until: from + 7 * DAY,
      seen: gateway.whereabouts,
    }
  })
  const changes = computed(() => asked.value?.answer ?? null)
  /** From when on they are told, in seconds. */
  const from = computed(() => asked.value?.question.from ?? moment.now)
  return { entries, changes, from }
})
