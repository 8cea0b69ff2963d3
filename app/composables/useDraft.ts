import { versionTag } from '../../core/policy/canonical.ts'
import { ENTRY_KINDS, type EntryKind } from '../../core/policy/kinds.ts'
import type { Device, Policy } from '../../core/policy/types.ts'
import { useDraftPolicy } from '../stores/draft.ts'
import { ApiError, wordsOf } from './useApi.ts'
import { useRequest } from './useRequest.ts'
import { shellText } from '../text/shell.ts'

/** The result of an edit: the step by which it can be undone, and the ids of its entries. */
interface Made {
  readonly step: number | null
  readonly id: string
  readonly ids: readonly string[]
}

/**
 * A device to add (`id` null) or to replace, with `was` only while it is still that; `groups` are all that it
 * is then in.
 */
export interface DeviceWish {
  readonly id: string | null
  readonly device: Partial<Device>
  readonly groups?: readonly string[] | null
  /** The person whose it is then, by id or name, one that is not there being made; `null` = nobody's. */
  readonly person?: string | null
  /** The id of a device that the same rules apply to then. */
  readonly like?: string | undefined
  readonly was?: Device
}

/** The order of the rules as it was seen, for a change of it. */
export const orderMark = ({ rules }: Pick<Policy, 'rules'>) => ({
  'if-match': `"${versionTag(rules.map(({ id }) => id))}"`,
})

/** Sends edits to the draft, as `useRequest` does, and says what they did with the way back. */
export function useDraft() {
  const request = useRequest()
  const { send } = request
  const toast = useToast()
  const draft = useDraftPolicy()

  /** Says what an edit did, with the way back. */
  function tell(title: string, step: number | null): void {
    toast.add({
      title,
      actions: step === null ? [] : [{ label: shellText.undo, onClick: () => void walk('undo', step) }],
    })
  }

  /**
   * Undoes or redoes an edit of the draft, the next one where none is named; where that is refused, the
   * reason is shown; an edit of somebody else is so only after asking.
   */
  async function walk(to: 'undo' | 'redo', step?: number, anyway = false): Promise<void> {
    try {
      await draft.walk(to, step, anyway)
      // An edit that was applied goes on deciding.
      toast.add({ title: shellText.undoneInDraft(to === 'undo') })
    } catch (error) {
      const isOthers = error instanceof ApiError && error.answer.code === 'others-edit'
      const number = step ?? draft.steps[to] ?? undefined
      const label = to === 'undo' ? shellText.undoAnyway : shellText.redoAnyway
      toast.add({
        title: wordsOf(error),
        color: 'error',
        actions: isOthers ? [{ label, onClick: () => void walk(to, number, true) }] : [],
      })
    }
  }

  /**
   * Adds an entry of a kind (`id` = null) or replaces one, with `was` only while it is still that.
   *
   * @returns its id, `null` where it was refused
   */
  async function put(kind: EntryKind, id: string | null, form: object, was?: object): Promise<string | null> {
    const path = `/api/${ENTRY_KINDS[kind].path}${id === null ? '' : `/${encodeURIComponent(id)}`}`
    return (
      (
        await send<Made>(
          id === null ? 'POST' : 'PUT',
          path,
          form,
          was && { 'if-match': `"${versionTag(was)}"` },
        )
      )?.id ?? null
    )
  }

  /**
   * Adds, replaces and takes out devices, all or none.
   *
   * @returns the ids of those that were put, `null` where that was refused
   */
  async function putDevices(
    wishes: readonly DeviceWish[],
    takeOut: readonly { readonly id: string; readonly instead: string | null }[] = [],
  ): Promise<Made | null> {
    const edits = wishes.map(({ id, device: { id: _id, ...device }, groups = null, person, like, was }) => ({
      id,
      device,
      groups,
      person,
      like,
      mark: was ? versionTag(was) : null,
    }))
    return send<Made>('POST', '/api/devices/many', { edits, takeOut })
  }

  /**
   * Takes an entry out of the draft and says so; `instead` stands where rules name it, `null` = nothing.
   *
   * @returns whether it went
   */
  async function remove(
    kind: EntryKind,
    { id, name }: { id: string; name: string },
    instead?: string | null,
  ): Promise<boolean> {
    const made = await send<Made>(
      'DELETE',
      `/api/${ENTRY_KINDS[kind].path}/${encodeURIComponent(id)}${instead === undefined ? '' : `?instead=${encodeURIComponent(instead ?? '')}`}`,
    )
    if (made) tell(shellText.deleted(name), made.step)
    return made !== null
  }

  return { ...request, tell, walk, put, putDevices, remove }
}
