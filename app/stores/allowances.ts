import { defineStore } from 'pinia'
import { computed, shallowRef, watch } from 'vue'
import type { KnownUse } from '../../core/allowance/outlook.ts'
import { readInstant } from '../../core/time/instant.ts'
import type { AllowanceAnswer } from '../../protocol/answers.ts'
import { oneAtATime } from '../composables/oneAtATime.ts'
import { callApi } from '../composables/useApi.ts'
import { useLive } from './live.ts'
import { useSession } from './session.ts'

/** The usage of the allowances of the live rules, by the counts of the gateway. */
export const useAllowances = defineStore('allowances', () => {
  const live = useLive()
  const answered = shallowRef<AllowanceAnswer | null>(null)
  const areSome = computed(() => live.answered?.policy.rules.some(({ after }) => after !== null) === true)
  /** The usage as it is known; `null` until it was answered. */
  const known = computed(
    (): KnownUse | null =>
      answered.value && { at: readInstant(answered.value.at)!, uses: answered.value.uses },
  )
  /** A failed question leaves the usage unknown: the gateway's own trouble is shown elsewhere. */
  const load = oneAtATime(async () => {
    answered.value = areSome.value
      ? await callApi<AllowanceAnswer>('GET', '/api/allowances').catch(() => null)
      : null
  })
  watch(areSome, () => void load(), { immediate: true })
  useSession().follows('allowances', load)
  return { known, load }
})
