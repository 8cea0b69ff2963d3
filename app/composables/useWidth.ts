import { onScopeDispose, ref, watch, type Ref } from 'vue'

/** The width of an element's content in whole pixels, kept up to date; 0 before it is there. */
export function useWidth(element: Ref<HTMLElement | null>): Ref<number> {
  const width = ref(0)
  const observer = new ResizeObserver(([entry]) => {
    width.value = Math.floor(entry!.contentRect.width)
  })
  watch(
    element,
    (now, before) => {
      if (before) observer.unobserve(before)
      if (now) observer.observe(now)
    },
    { immediate: true },
  )
  onScopeDispose(() => observer.disconnect())
  return width
}
