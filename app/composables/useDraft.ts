import { ref } from 'vue'
import { markOf } from '../../core/policy/canonical.ts'
import { callApi, wordsOf } from './useApi.ts'

/** Sends edits to the draft: `busy` while one is on its way, `trouble` with the server's words where one was refused. */
export function useDraft() {
  const busy = ref(false)
  const trouble = ref('')

  async function send<T>(method: 'POST' | 'PUT' | 'DELETE', path: string, body?: unknown, headers?: Record<string, string>): Promise<T | null> {
    busy.value = true
    trouble.value = ''
    try {
      return await callApi<T>(method, path, body, headers)
    } catch (error) {
      trouble.value = wordsOf(error)
      return null
    } finally {
      busy.value = false
    }
  }

  /** Adds an entry of a kind (`id` = null) or replaces one, with `was` only while it is still that; answers its id, `null` where it was refused. */
  async function put(kind: 'devices' | 'groups' | 'schedules' | 'rules', id: string | null, form: object, was?: object): Promise<string | null> {
    const path = `/api/${kind}${id === null ? '' : `/${encodeURIComponent(id)}`}`
    return (await send<{ id: string }>(id === null ? 'POST' : 'PUT', path, form, was && { 'if-match': `"${markOf(was)}"` }))?.id ?? null
  }

  /** Takes an entry out of the draft; answers whether it went. */
  async function remove(kind: 'devices' | 'groups' | 'schedules' | 'rules', id: string): Promise<boolean> {
    return await send('DELETE', `/api/${kind}/${encodeURIComponent(id)}`) !== null
  }

  return { busy, trouble, send, put, remove }
}
