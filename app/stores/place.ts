import { defineStore } from 'pinia'
import { computed } from 'vue'
import { useDraftPolicy } from './draft.ts'
import { useLive } from './live.ts'

/** The name and the time zone of the network. */
export const usePlace = defineStore('place', () => {
  const [draft, live] = [useDraftPolicy(), useLive()]
  /** The time zone of what is live, by which every time is shown. */
  const zone = computed(() => live.answered?.policy.place.timeZone ?? draft.answered?.place.timeZone ?? 'UTC')
  return { zone }
})
