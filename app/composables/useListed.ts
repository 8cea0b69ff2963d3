import { shallowRef } from 'vue'
import { callApi } from './useApi.ts'
import { useRequest } from './useRequest.ts'

/**
 * The list that a route answers, `null` until it answered. `act` does something that may be refused, and
 * shows what there is then; it answers `true` where both were done.
 */
export function useListed<T>(path: string) {
  const { busy, trouble, attempt } = useRequest()
  const answer = shallowRef<T | null>(null)
  const act = (work: () => Promise<unknown> = () => Promise.resolve()) =>
    attempt(async () => {
      await work()
      answer.value = await callApi<T>('GET', path)
      return true
    })
  void act()
  return { answer, busy, trouble, act }
}
