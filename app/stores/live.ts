import { defineStore } from 'pinia'
import { computed, shallowRef } from 'vue'
import type { LiveAnswer } from '../../protocol/answers.ts'
import { loaded } from '../composables/loaded.ts'
import { oneAtATime } from '../composables/oneAtATime.ts'
import { callApi } from '../composables/useApi.ts'
import { useSession } from './session.ts'

/** The live policy, with long lists without their sites: plain data, so that a worker can take it. */
export const useLive = defineStore('live', () => {
  /** `null` until it was answered. */
  const answered = shallowRef<LiveAnswer | null>(null)
  const answer = computed(() => loaded(answered.value, 'live policy'))
  const load = oneAtATime(async () => {
    answered.value = await callApi<LiveAnswer>('GET', '/api/live?lists=brief')
  })
  useSession().follows('live', load)
  return { answered, answer, load }
})
