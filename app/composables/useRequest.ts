import { getCurrentInstance, hasInjectionContext, inject, ref, type InjectionKey, type Ref } from 'vue'
import type { FormErrorEvent } from '@nuxt/ui'
import { faultWords } from '../text/fault.ts'
import { ApiError, callApi, wordsOf } from './useApi.ts'

/** Counts the parts of a page that wait for their first answer: they are shown together, so that none moves others. */
export const FIRST_ANSWERS: InjectionKey<Ref<number>> = Symbol('first answers')

/**
 * Sends what may be refused: `busy` while it is on its way, `trouble` with the server's words where it was
 * refused, and whether that is since the entry is `inUse`.
 */
export function useRequest() {
  const busy = ref(false)
  const trouble = ref('')
  const inUse = ref(false)
  const firstAnswers = hasInjectionContext() ? inject(FIRST_ANSWERS, null) : null

  /** Does something that may be refused: what it answers, or `null` with the reason in `trouble`. */
  async function attempt<T>(work: () => Promise<T>): Promise<T | null> {
    // A part asks for what it shows first while it is set up.
    const isFirst = firstAnswers !== null && getCurrentInstance() !== null
    if (isFirst) firstAnswers.value++
    busy.value = true
    trouble.value = ''
    inUse.value = false
    try {
      return await work()
    } catch (error) {
      trouble.value = wordsOf(error)
      inUse.value = error instanceof ApiError && error.answer.code === 'in-use'
      return null
    } finally {
      busy.value = false
      if (isFirst) firstAnswers.value--
    }
  }

  /** Says why a form cannot be sent: what a field does not show itself would be silent. */
  function refuse({ errors }: FormErrorEvent): void {
    trouble.value = errors
      .map(({ name = '', message }) => faultWords({ path: name.replace(/\.(\d+)/g, '[$1]'), message }))
      .join(' ')
  }

  function send<T>(
    method: 'POST' | 'PUT' | 'DELETE',
    path: string,
    body?: unknown,
    headers?: Record<string, string>,
  ): Promise<T | null> {
    return attempt(() => callApi<T>(method, path, body, headers))
  }

  return { busy, trouble, inUse, attempt, refuse, send }
}
