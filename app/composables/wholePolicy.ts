import { onScopeDispose, shallowRef, watch, type ShallowRef } from 'vue'
import { LRUCache } from 'lru-cache'
import type { Policy, SiteList } from '../../core/policy/types.ts'
import { elsewhere } from '../../protocol/brief-list.ts'
import { callApi, wordsOf } from './useApi.ts'

// The sites of long lists by their digest, and policies with all of theirs: the same objects for all who ask.
const sites = new LRUCache<string, Promise<readonly string[]>>({ max: 8 })
const wholes = new WeakMap<Policy, Promise<Policy>>()

/**
 * A site list with its sites, which are asked for where they are not here.
 *
 * @throws ApiError
 */
export async function wholeList(list: SiteList): Promise<SiteList> {
  const long = elsewhere(list)
  if (!long) return list
  const known = sites.get(long.digest) ?? callApi<readonly string[]>('GET', `/api/sites/${long.digest}`)
  sites.set(long.digest, known)
  // A question that failed is asked again.
  known.catch(() => sites.delete(long.digest))
  const { id, name, note } = list
  return { id, name, note, entries: await known }
}

/**
 * A policy with the sites of all its lists; one that has them is itself.
 *
 * @throws ApiError
 */
export function wholePolicy(policy: Policy): Promise<Policy> {
  if (policy.siteLists.every((list) => !elsewhere(list))) return Promise.resolve(policy)
  const known =
    wholes.get(policy) ??
    Promise.all(policy.siteLists.map(wholeList)).then((siteLists) => ({ ...policy, siteLists }))
  wholes.set(policy, known)
  known.catch(() => wholes.delete(policy))
  return known
}

/** Keeps what comes of some work on what changes: `null` until it is there; and why it is not. */
export function useLoaded<A, B>(
  source: () => A | null | undefined,
  work: (value: A) => Promise<B>,
): { loaded: ShallowRef<B | null>; failed: ShallowRef<string> } {
  const loaded = shallowRef<B | null>(null)
  const failed = shallowRef('')
  let newest = 0
  const stop = watch(
    source,
    async (value) => {
      const turn = ++newest
      failed.value = ''
      try {
        const found = value === null || value === undefined ? null : await work(value)
        if (turn === newest) loaded.value = found
      } catch (error) {
        if (turn === newest) failed.value = wordsOf(error)
      }
    },
    { immediate: true },
  )
  onScopeDispose(stop)
  return { loaded, failed }
}
