import { defineStore } from 'pinia'
import { computed } from 'vue'
import { entriesBetween } from '../../core/change/entries.ts'
import { overridesFor, spentFor } from '../../core/policy/overrides.ts'
import { useChanges } from '../composables/useChanges.ts'
import { useDraftPolicy } from './draft.ts'
import { useLive } from './live.ts'

/** The changes of the draft: its edits, and the devices whose coming week differs. */
export const useReview = defineStore('review', () => {
  const [draft, live] = [useDraftPolicy(), useLive()]
  // Overrides, and what was used up, count beside either policy, so both are compared with those that are
  // in force.
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
  const { changes, from } = useChanges(() =>
    entries.value.length > 0 && proposed.value ? { before: live.answer.policy, after: proposed.value } : null,
  )
  return { entries, changes, from }
})
