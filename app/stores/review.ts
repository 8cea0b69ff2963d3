import { defineStore } from 'pinia'
import { computed } from 'vue'
import { entriesBetween } from '../../core/change/entries.ts'
import { overridesFor } from '../../core/policy/overrides.ts'
import { DAY } from '../../core/time/instant.ts'
import { useDecided } from '../composables/useDecider.ts'
import { useMoment } from './moment.ts'
import { useNetwork } from './network.ts'

/** What the draft would change: its edits, and the devices whose coming week differs. */
export const useReview = defineStore('review', () => {
  const [network, moment] = [useNetwork(), useMoment()]
  // Overrides count beside either policy, so both are compared with those that are in force.
  const proposed = computed(
    () =>
      network.draft &&
      network.live && {
        ...network.draft,
        overrides: overridesFor(network.draft, network.live.policy.overrides),
      },
  )
  const entries = computed(() =>
    network.live && network.draft ? entriesBetween(network.live.policy, network.draft) : [],
  )
  const minute = computed(() => Math.floor(moment.now / 60) * 60)
  const changes = useDecided(() =>
    entries.value.length > 0 && proposed.value
      ? {
          kind: 'changes' as const,
          before: network.live!.policy,
          after: proposed.value,
          from: minute.value,
          until: minute.value + 7 * DAY,
          seen: network.whereabouts,
        }
      : null,
  )
  return { entries, changes, minute }
})
