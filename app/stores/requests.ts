import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import type { AskingAnswer } from '../../protocol/answers.ts'
import { oneAtATime } from '../composables/oneAtATime.ts'
import { callApi } from '../composables/useApi.ts'
import { useMe } from './me.ts'
import { useSession } from './session.ts'

/** The requests for more time that wait, of those that who is signed in may grant. */
export const useRequests = defineStore('requests', () => {
  const me = useMe()
  const waiting = shallowRef<readonly AskingAnswer[]>([])
  const load = oneAtATime(async () => {
    if (!me.answered) await me.load()
    waiting.value = me.mayDo('help') ? await callApi<AskingAnswer[]>('GET', '/api/requests') : []
  })
  useSession().follows('requests', load)
  return { waiting, load }
})
