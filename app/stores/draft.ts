import { defineStore } from 'pinia'
import { computed, shallowRef } from 'vue'
import type { Policy } from '../../core/policy/types.ts'
import type { DismissalAnswer, DraftPartsAnswer, StepsAnswer } from '../../protocol/answers.ts'
import { loaded } from '../composables/loaded.ts'
import { oneAtATime } from '../composables/oneAtATime.ts'
import { callApi } from '../composables/useApi.ts'
import { useSession } from './session.ts'

/**
 * The draft as the server has it, long lists without their sites: plain data, so that a worker can take it.
 */
export const useDraftPolicy = defineStore('draft', () => {
  /** The draft, without overrides; `null` until it was answered. */
  const answered = shallowRef<Policy | null>(null)
  const policy = computed(() => loaded(answered.value, 'draft'))
  const steps = shallowRef<StepsAnswer>({ undo: null, redo: null, titles: { undo: '', redo: '' } })
  const dismissals = shallowRef<readonly DismissalAnswer[]>([])

  let mark = ''
  const load = oneAtATime(async () => {
    // The parts that the screen waits for are set first; parts that did not change stay the same objects.
    const answer = await callApi<DraftPartsAnswer>('GET', `/api/draft/parts?mark=${mark}`)
    answered.value = { kairostat: 1, overrides: [], spent: [], ...answered.value, ...answer.parts } as Policy
    mark = answer.mark
    ;[steps.value, dismissals.value] = await Promise.all([
      callApi<StepsAnswer>('GET', '/api/draft/steps'),
      callApi<DismissalAnswer[]>('GET', '/api/asides'),
    ])
  })

  let walking: Promise<unknown> = Promise.resolve()
  /**
   * Undoes or redoes an edit of the draft, after those that were asked for before.
   *
   * @param step its number; the next there is where none is given
   * @param anyway whether an edit of somebody else is taken back, too
   * @throws ApiError
   */
  function walk(to: 'undo' | 'redo', step?: number, anyway = false): Promise<void> {
    const turn = walking.then(async () => {
      const number = step ?? steps.value[to]
      if (number !== null)
        steps.value = await callApi('POST', '/api/draft/steps', { to, step: number, anyway })
    })
    walking = turn.catch(() => {})
    return turn
  }

  useSession().follows('draft', load)
  return { answered, policy, steps, dismissals, load, walk }
})
