import { ref } from 'vue'
import type { Amount, Effect, Override, What } from '../../core/policy/types.ts'
import { instantText } from '../../core/time/instant.ts'
import type { SpokenSpan } from '../../core/time/spoken-span.ts'
import { lengthWords } from '../../core/words/length.ts'
import type { SavedActAnswer } from '../../protocol/answers.ts'
import { useDraftPolicy } from '../stores/draft.ts'
import { useGateway } from '../stores/gateway.ts'
import { cardsText } from '../text/people-cards.ts'
import { callApi, wordsOf } from './useApi.ts'
import { shellText } from '../text/shell.ts'

/** The subject of an override. */
export interface Whom {
  readonly devices: readonly string[]
  readonly groups: readonly string[]
  readonly networks?: readonly string[]
  readonly macs?: readonly string[]
  readonly everyone?: boolean
}

/**
 * Makes, moves and lifts overrides, which count at once; each says what it did, or the server's words where
 * it was refused. Instants are in seconds, an end of `null` = until it is lifted.
 */
export function useOverride() {
  const [draft, gateway] = [useDraftPolicy(), useGateway()]
  const busy = ref(false)
  const toast = useToast()
  const path = ({ id }: Pick<Override, 'id'>) => `/api/overrides/${encodeURIComponent(id)}`
  const text = (until: number | null) => (until === null ? null : instantText(until))

  /** Does something and says so, or why not; `undo` takes it back, `null` = that cannot be. */
  async function act<T>(
    said: string,
    work: () => Promise<T>,
    undo: ((done: T) => Promise<unknown>) | null,
  ): Promise<boolean> {
    busy.value = true
    try {
      const done = await work()
      const back = undo && (() => act(shellText.takenBack, () => undo(done), null))
      toast.add({ title: said, actions: back ? [{ label: shellText.undo, onClick: () => void back() }] : [] })
      return true
    } catch (error) {
      toast.add({ title: wordsOf(error), color: 'error' })
      return false
    } finally {
      busy.value = false
    }
  }
  const remove = (one: Pick<Override, 'id'>) => callApi('DELETE', path(one))
  const moveTo = (one: Pick<Override, 'id'>, until: string | null) => callApi('PUT', path(one), { until })
  const post = (said: string, body: object) =>
    act(said, () => callApi<{ id: string }>('POST', '/api/overrides', body), remove)
  /**
   * Allows or blocks somebody for a while: `what` alone, or the internet as a whole. A `from` of `null` is now,
   * by the server's clock.
   */
  const make = (
    effect: Effect,
    who: Whom,
    { from, lasts, until }: SpokenSpan,
    said: string,
    what: Partial<What> | null = null,
  ) => post(said, { effect, who, what, from: text(from), lasts, until: text(until) })
  /** Does a saved act, from now on. */
  const doSaved = ({ id, name, lasts }: SavedActAnswer) =>
    act(
      cardsText.actDone(name, lengthWords(lasts)),
      () => callApi<{ id: string }>('POST', `/api/saved-acts/${id}`),
      remove,
    )
  /** Whether an act would cut off the device on which the page is shown. */
  const cutsOff = ({ effect, who, what }: Pick<SavedActAnswer, 'effect'> & { who: Whom; what?: unknown }) =>
    effect === 'block' &&
    (what ?? null) === null &&
    draft.policy.devices.some(
      ({ id, adapters }) =>
        gateway.isYours(adapters.map(({ mac }) => mac)) &&
        (who.everyone ||
          who.devices.includes(id) ||
          draft.policy.groups.some((group) => who.groups.includes(group.id) && group.members.includes(id))),
    )
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
  const lift = ({ id, effect, who, what, more, from, until }: Override) =>
    act(
      shellText.theOverrideHasEnded,
      () => remove({ id }),
      // What was added to an allowance ends with its period, whenever it is added.
      () =>
        callApi('POST', '/api/overrides', {
          effect,
          who,
          what,
          more,
          from,
          lasts: null,
          until: more ? null : until,
        }),
    )
  return { busy, act, make, doSaved, cutsOff, addMore, move, lift }
}
