import { ref } from 'vue'
import type { Amount, Effect, Override } from '../../core/policy/types.ts'
import { instantText } from '../../core/time/instant.ts'
import { callApi, wordsOf } from './useApi.ts'
import { shellText } from '../text/shell.ts'

/** The subject of an override. */
export interface Whom {
  readonly devices: readonly string[]
  readonly groups: readonly string[]
  readonly networks?: readonly string[]
  readonly macs?: readonly string[]
}

/**
 * The begin of an override (`null` = now, by the server's clock), and its end: after so many seconds, at
 * an instant (seconds), or not by itself (both `null`).
 */
export interface Span {
  readonly from: number | null
  readonly lasts: number | null
  readonly until: number | null
}

/**
 * Makes, moves and lifts overrides, which count at once; each says what it did, or the server's words where
 * it was refused. Instants are in seconds, an end of `null` = until it is lifted.
 */
export function useOverride() {
  const busy = ref(false)
  const toast = useToast()
  const path = ({ id }: Pick<Override, 'id'>) => `/api/overrides/${encodeURIComponent(id)}`
  const text = (until: number | null) => (until === null ? null : instantText(until))

  async function act(said: string, work: () => Promise<unknown>): Promise<void> {
    busy.value = true
    try {
      await work()
      toast.add({ title: said })
    } catch (error) {
      toast.add({ title: wordsOf(error), color: 'error' })
    } finally {
      busy.value = false
    }
  }
  const make = (effect: Effect, who: Whom, { from, lasts, until }: Span, said: string) =>
    act(said, () =>
      callApi('POST', '/api/overrides', { effect, who, from: text(from), lasts, until: text(until) }),
    )
  /** Adds to the allowances of somebody, in their periods of now. */
  const addMore = (more: Amount, who: Whom, said: string) =>
    act(said, () =>
      callApi('POST', '/api/overrides', { effect: 'allow', who, more, from: null, lasts: null, until: null }),
    )
  const move = (one: Override, until: number | null, said: string) =>
    act(said, () => callApi('PUT', path(one), { until: text(until) }))
  const lift = (one: Override) => act(shellText.theOverrideHasEnded, () => callApi('DELETE', path(one)))
  return { busy, make, addMore, move, lift }
}
