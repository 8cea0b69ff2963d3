import { defineStore } from 'pinia'
import { computed, shallowRef } from 'vue'
import type { ListSourceAnswer } from '../../protocol/list-source.ts'
import { oneAtATime } from '../composables/oneAtATime.ts'
import { callApi } from '../composables/useApi.ts'
import { useSession } from './session.ts'

/** The sources of site lists, and the outcome of their last refresh. */
export const useLists = defineStore('lists', () => {
  const sources = shallowRef<readonly ListSourceAnswer[]>([])
  const byList = computed(() => new Map(sources.value.map((source) => [source.list, source])))
  const load = oneAtATime(async () => {
    sources.value = await callApi<ListSourceAnswer[]>('GET', '/api/site-lists/sources')
  })
  useSession().follows('lists', load)
  return { sources, byList, load }
})
