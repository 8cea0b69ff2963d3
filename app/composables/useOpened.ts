import { ref, watch, type Ref } from 'vue'

/** What is open on a page, by its id; a link may name it (`?open=…`), which counts once. */
export function useOpened(): Ref<string | null> {
  const route = useRoute()
  const opened = ref<string | null>(null)
  watch(() => route.query.open, (named) => {
    if (typeof named !== 'string') return
    opened.value = named
    void navigateTo({ query: {} }, { replace: true })
  }, { immediate: true })
  return opened
}
