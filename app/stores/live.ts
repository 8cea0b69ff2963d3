import { defineStore } from 'pinia'
import { computed, shallowRef } from 'vue'
import type { Policy } from '../../core/policy/types.ts'
import type { LiveAnswer } from '../../protocol/answers.ts'
import { loaded } from '../composables/loaded.ts'
import { oneAtATime } from '../composables/oneAtATime.ts'
import { callApi } from '../composables/useApi.ts'

/** What is live: plain data, so that a worker can take it. */
export const useLive = defineStore('live', () => {
  /** `null` until it was answered. */
  const answered = shallowRef<LiveAnswer | null>(null)
  const answer = computed(() => loaded(answered.value, 'live policy'))
  const load = oneAtATime(async () => {
    // Lists may be long, and stay as they are while only overrides change.
    const before = answered.value
    const known = before?.revision ? `?lists=${before.revision.number}` : ''
    const next = await callApi<LiveAnswer & { policy: { siteLists: Policy['siteLists'] | null } }>(
      'GET',
      `/api/live${known}`,
    )
    const siteLists = next.policy.siteLists ?? before!.policy.siteLists
    answered.value = { ...next, policy: { ...next.policy, siteLists } }
  })
  return { answered, answer, load }
})
