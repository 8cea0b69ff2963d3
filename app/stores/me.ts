import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import type { SessionAnswer } from '../../protocol/answers.ts'
import { may, type Need } from '../../protocol/roles.ts'
import { FIRST } from '../../protocol/places.ts'
import { callApi } from '../composables/useApi.ts'
import { PLACE } from '../model/address.ts'
import { useSession } from './session.ts'

/** The account that is signed in, and its rights. */
export const useMe = defineStore('me', () => {
  const answered = ref<SessionAnswer | null>(null)

  function take(answer: SessionAnswer): void {
    answered.value = answer
  }

  async function load(): Promise<void> {
    take(await callApi<SessionAnswer>('GET', '/api/session'))
  }

  /** Whether who is signed in may do what needs so much; nobody before that is known. */
  function mayDo(need: Need): boolean {
    const role = answered.value?.role
    return role !== undefined && role !== null && may(role, need)
  }

  /** The places that they may use, the first made first. */
  const places = computed(() => answered.value?.places ?? [])

  /** Whether who is signed in administers Kairostat itself, which is done at the first place. */
  const isOverAll = computed(() => PLACE === FIRST && mayDo('administer'))

  /** The limit of a helper; `null` = none. */
  const limit = computed(() => answered.value?.limit ?? null)

  useSession().follows('me', load)
  return { answered, limit, places, isOverAll, take, load, mayDo }
})
