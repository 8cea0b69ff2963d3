import { defineStore } from 'pinia'
import { computed, shallowRef } from 'vue'
import type { ListSourceAnswer } from '../../protocol/list-source.ts'
import { oneAtATime } from '../composables/oneAtATime.ts'
import { callApi } from '../composables/useApi.ts'

/** Where site lists come from, and what became of that. */
export const useLists = defineStore('lists', () => {
  const sources = shallowRef<readonly ListSourceAnswer[]>([])
  const byList = computed(() => new Map(sources.value.map((source) => [source.list, source])))
  const load = oneAtATime(async () => {
    sources.value = await callApi<ListSourceAnswer[]>('GET', '/api/site-lists/sources')
  })
  return { sources, byList, load }
})
