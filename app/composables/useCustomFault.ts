import { watchEffect, type Ref } from 'vue'

/**
 * Has the browser refuse a form while one of its fields has a fault ('' = none), and say which where one
 * presses *Save*; `root` is the field or what is around it.
 */
export function useCustomFault(root: Readonly<Ref<HTMLElement | null>>, fault: () => string): void {
  watchEffect(
    () => {
      const field = root.value?.querySelector<HTMLInputElement | HTMLTextAreaElement>('input, textarea')
      field?.setCustomValidity(fault())
    },
    { flush: 'post' },
  )
}
