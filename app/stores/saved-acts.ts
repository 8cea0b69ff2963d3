import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import type { SavedActAnswer } from '../../protocol/answers.ts'
import { oneAtATime } from '../composables/oneAtATime.ts'
import { callApi } from '../composables/useApi.ts'
import { useSession } from './session.ts'

/** The acts that were saved under a name. */
export const useSavedActs = defineStore('saved-acts', () => {
  const all = shallowRef<readonly SavedActAnswer[]>([])
  const load = oneAtATime(async () => {
    all.value = await callApi<SavedActAnswer[]>('GET', '/api/saved-acts')
  })
  useSession().follows('saved-acts', load)
  return { all, load }
})
