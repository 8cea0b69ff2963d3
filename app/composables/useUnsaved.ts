import { computed, ref, shallowReactive } from 'vue'

/** The editors that hold something which is not saved. */
const editors = shallowReactive(new Set<symbol>())
/** Who waits to hear whether to leave; `null` = nobody is asked. */
const asking = ref<((leave: boolean) => void) | null>(null)

let isLeaving = false

/** Edits that are not saved yet: whoever would leave them is asked first. */
export function useUnsaved() {
  return {
    any: computed(() => editors.size > 0),
    asking,
    /** Says whether an editor holds something that is not saved. */
    tell: (editor: symbol, unsaved: boolean) => (unsaved ? editors.add(editor) : editors.delete(editor)),
    /** Leaves without asking: what is not saved is given up. */
    leave: async (go: () => unknown): Promise<void> => {
      isLeaving = true
      try {
        await go()
      } finally {
        isLeaving = false
      }
    },
    /** Whether one may leave: at once where everything is saved, else when the question is answered. */
    mayLeave: async (): Promise<boolean> => {
      if (isLeaving || editors.size === 0) return true
      asking.value?.(false)
      const leave = await new Promise<boolean>((resolve) => (asking.value = resolve))
      asking.value = null
      if (leave) editors.clear()
      return leave
    },
  }
}
