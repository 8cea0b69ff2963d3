import { ref } from 'vue'
import { callApi } from './useApi.ts'
import { useListed } from './useListed.ts'

/** The receivers of messages that a route lists, with what can be done to them, and what it did in words. */
export function useReceivers<T extends { id: string }>(path: string) {
  const { answer, busy, trouble, act } = useListed<readonly T[]>(path)
  const said = ref('')
  /** Does something, and says so afterwards. */
  async function say(words: string, work: () => Promise<unknown>): Promise<void> {
    said.value = ''
    if (await act(work)) said.value = words
  }
  return {
    answer,
    busy,
    trouble,
    said,
    say,
    test: (id: string, words: (receiver: T) => string) =>
      say(words(answer.value!.find((one) => one.id === id)!), () => callApi('POST', `${path}/${id}`)),
    remove: (id: string) => say('', () => callApi('DELETE', `${path}/${id}`)),
  }
}
