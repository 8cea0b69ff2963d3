import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { withoutChanges, type EntryRef } from '../../core/change/choose.ts'
import { entriesBetween } from '../../core/change/entries.ts'
import { overridesFor, spentFor } from '../../core/policy/overrides.ts'
import { useChanges } from '../composables/useChanges.ts'
import { useDraftPolicy } from './draft.ts'
import { useLive } from './live.ts'

/**
 * The changes of the draft: its edits, those of them that are left for later, and the devices whose coming week
 * differs by the others.
 */
export const useReview = defineStore('review', () => {
  const [draft, live] = [useDraftPolicy(), useLive()]
  /** The changes that somebody leaves for later, as long as they are there. */
  const chosen = ref<readonly EntryRef[]>([])
  const entries = computed(() =>
    live.answered && draft.answered ? entriesBetween(live.answered.policy, draft.answered) : [],
  )
  const later = computed(() =>
    chosen.value.filter((ref) => entries.value.some((entry) => isSame(ref, entry))),
  )
  /** What is applied, and all that is left: what was chosen, and what depends on it. */
  const choice = computed(
    () =>
      draft.answered && live.answered && withoutChanges(live.answered.policy, draft.answered, later.value),
  )
  // Overrides, and what was used up, count beside either policy, so both are compared with those that are
  // in force.
  const proposed = computed(
    () =>
      choice.value &&
      live.answered && {
        ...choice.value.policy,
        overrides: overridesFor(choice.value.policy, live.answered.policy.overrides),
        spent: spentFor(choice.value.policy, live.answered.policy.spent),
      },
  )
  /** Leaves a change for later, or takes it along again. */
  function toggle(one: EntryRef) {
    const isChosen = later.value.some((ref) => isSame(ref, one))
    chosen.value = isChosen
      ? later.value.filter((ref) => !isSame(ref, one))
      : [...later.value, { kind: one.kind, id: one.id }]
  }
  const { changes, from } = useChanges(() =>
    entries.value.length > 0 && proposed.value ? { before: live.answer.policy, after: proposed.value } : null,
  )
  return { entries, later, choice, toggle, changes, from }
})

const isSame = (a: EntryRef, b: EntryRef) => a.kind === b.kind && a.id === b.id
