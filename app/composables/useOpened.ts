import { computed, nextTick, watch, type ComputedRef } from 'vue'
import { useUnsaved } from '../stores/unsaved.ts'

/**
 * The open entry of a page, by the page's address: `/rules/quiet-bench` is an entry, `/rules?new` a new one.
 */
export interface Opened {
  /**
   * The part after the page's address, such as `quiet-bench` or `lists/shops`; `null` = the page as a whole.
   */
  readonly entry: ComputedRef<string | null>
  /** The first values of a new entry, `''` where there are none; `null` = none is begun. */
  readonly begun: ComputedRef<string | null>
  open(entry: string): void
  begin(what?: string): void
  /** Goes back to the page as a whole; what is not saved by then is given up. */
  close(): void
}

/** Returns the open entry of a page of entries, whose file ends in `[...entry]`. */
export function useOpened(page: string): Opened {
  const [route, unsaved] = [useRoute(), useUnsaved()]
  const entry = computed(() => [route.params.entry ?? []].flat().join('/') || null)
  const begun = computed(() => (route.query.new === undefined ? null : String(route.query.new ?? '')))
  let cameFrom = 0
  // After closing an entry one is where one was in the list.
  watch(
    [entry, begun],
    ([now, new_]) => now === null && new_ === null && nextTick(() => scrollTo(0, cameFrom)),
  )
  const go = (to: string) => {
    if (entry.value === null && begun.value === null) cameFrom = scrollY
    void navigateTo(to)
  }
  return {
    entry,
    begun,
    open: (one) => go(addressOf(page, one)),
    begin: (what = '') => go(`${page}?new${what === '' ? '' : `=${encodeURIComponent(what)}`}`),
    close: () => void unsaved.leave(() => navigateTo(page)),
  }
}

/** The address of an entry of a page. */
export const addressOf = (page: string, entry: string) =>
  `${page}/${entry.split('/').map(encodeURIComponent).join('/')}`
