import { defineStore } from 'pinia'
import { computed, ref, shallowReactive, watch } from 'vue'

/** Edits that are not saved yet: whoever would leave them is asked first. */
export const useUnsaved = defineStore('unsaved', () => {
  /** The editors that hold something which is not saved. */
  const editors = shallowReactive(new Set<symbol>())
  /** The caller that waits to hear whether to leave; `null` = nobody is asked. */
  const asking = ref<((leave: boolean) => void) | null>(null)

  let isLeaving = false
  /** The editors that are being saved, and how many navigations wait to hear how that goes. */
  const saving = shallowReactive(new Set<symbol>())
  let waiting = 0
  let wasClosed = false

  /**
   * Waits until what is being saved is.
   *
   * @returns whether its editor was closed then
   */
  async function isSavedAndClosed(): Promise<boolean> {
    waiting++
    wasClosed = false
    await new Promise<void>((resolve) => {
      const stop = watch(
        () => saving.size,
        (size) => {
          if (size > 0) return
          stop()
          // A save that succeeds closes the editor first.
          setTimeout(resolve)
        },
      )
    })
    waiting--
    return wasClosed
  }

  return {
    any: computed(() => editors.size > 0),
    asking,
    /** Says whether an editor holds something that is not saved. */
    tell: (editor: symbol, unsaved: boolean) => (unsaved ? editors.add(editor) : editors.delete(editor)),
    /**
     * Says whether an editor is being saved: whoever leaves meanwhile waits for that, and is asked where it
     * fails.
     */
    tellSaving: (editor: symbol, isSaving: boolean) =>
      isSaving ? saving.add(editor) : saving.delete(editor),
    /** Leaves without asking: what is not saved is given up. */
    leave: async (go: () => unknown): Promise<void> => {
      if (waiting > 0) {
        wasClosed = true
        editors.clear()
        return
      }
      isLeaving = true
      try {
        await go()
      } finally {
        isLeaving = false
      }
    },
    /** Whether one may leave: at once where everything is saved, else when the question is answered. */
    mayLeave: async (): Promise<boolean> => {
      if (isLeaving || (saving.size > 0 && (await isSavedAndClosed()))) return true
      if (editors.size === 0) return true
      asking.value?.(false)
      const leave = await new Promise<boolean>((resolve) => (asking.value = resolve))
      asking.value = null
      if (leave) editors.clear()
      return leave
    },
  }
})
