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

  /** Does something and says so; `undo` takes it back, `null` = that cannot be. */
  async function act<T>(
    said: string,
    work: () => Promise<T>,
    undo: ((done: T) => Promise<unknown>) | null,
  ): Promise<void> {
    busy.value = true
    try {
      const done = await work()
      const back = undo && (() => act(shellText.takenBack, () => undo(done), null))
      toast.add({ title: said, actions: back ? [{ label: shellText.undo, onClick: () => void back() }] : [] })
    } catch (error) {
      toast.add({ title: wordsOf(error), color: 'error' })
    } finally {
      busy.value = false
    }
  }
  const remove = (one: Pick<Override, 'id'>) => callApi('DELETE', path(one))
  const moveTo = (one: Pick<Override, 'id'>, until: string | null) => callApi('PUT', path(one), { until })
  const post = (said: string, body: object) =>
    act(said, () => callApi<{ id: string }>('POST', '/api/overrides', body), remove)
  const make = (effect: Effect, who: Whom, { from, lasts, until }: Span, said: string) =>
    post(said, { effect, who, from: text(from), lasts, until: text(until) })
  /** Adds to the allowances of somebody, in their periods of now. */
  const addMore = (more: Amount, who: Whom, said: string) =>
    post(said, { effect: 'allow', who, more, from: null, lasts: null, until: null })
  const move = (one: Override, until: number | null, said: string) =>
    act(
      said,
      () => moveTo(one, text(until)),
      () => moveTo(one, one.until),
    )
  /** Ends one that runs, or drops one that is planned. */
  const lift = ({ id, effect, who, more, from, until }: Override) =>
    act(
      shellText.theOverrideHasEnded,
      () => remove({ id }),
      // What was added to an allowance ends with its period, whenever it is added.
      () =>
        callApi('POST', '/api/overrides', {
          effect,
          who,
          more,
          from,
          lasts: null,
          until: more ? null : until,
        }),
    )
  return { busy, make, addMore, move, lift }
}
