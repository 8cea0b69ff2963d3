<script setup lang="ts" generic="T">
import { defaultRangeExtractor, useWindowVirtualizer, type Virtualizer } from '@tanstack/vue-virtual'
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'

/**
 * A list that scrolls with the page and draws only the rows in sight where it is long; a row that is
 * `pinned`, by its key, stays drawn, with what one types in it.
 */
const props = defineProps<{
  items: readonly T[]
  keyOf: (item: T) => string
  pinned?: string | null
  /**
   * The future height of a row in pixels, on a screen that is as narrow as a phone's or not: else all move
   * once it is there.
   */
  estimate: (item: T, isNarrow: boolean) => number
  label: string
}>()
/** The rows that are drawn, by their places, the last included. */
const emit = defineEmits<{ drawn: [first: number, last: number] }>()
/** The number of rows up to which all are drawn, so that the browser's own search finds them. */
const DRAWN_WHOLE_ROWS = 60

const isNarrow = matchMedia('(max-width: 760px)').matches
const estimate = (index: number) => props.estimate(props.items[index]!, isNarrow)

const list = ref<HTMLElement | null>(null)
const margin = ref(0)
const virtualizer = useWindowVirtualizer(
  computed(() => ({
    count: props.items.length,
    estimateSize: estimate,
    overscan: 6,
    scrollMargin: margin.value,
    getItemKey: (index: number) => props.keyOf(props.items[index]!),
    // The observer tells a row's height a frame later; to ask for it at once would lay the page out anew for
    // every row.
    measureElement: (
      element: Element,
      entry: ResizeObserverEntry | undefined,
      instance: Virtualizer<Window, Element>,
    ) =>
      entry
        ? Math.round(entry.borderBoxSize[0]!.blockSize)
        : (instance.itemSizeCache.get(instance.options.getItemKey(instance.indexFromElement(element))) ??
          estimate(instance.indexFromElement(element))),
    rangeExtractor: (range: Parameters<typeof defaultRangeExtractor>[0]) => {
      if (range.count <= DRAWN_WHOLE_ROWS) return Array.from({ length: range.count }, (_, index) => index)
      const pinned = props.items.findIndex((item) => props.keyOf(item) === props.pinned)
      return pinned < 0
        ? defaultRangeExtractor(range)
        : [...new Set([...defaultRangeExtractor(range), pinned])].sort((a, b) => a - b)
    },
  })),
)
watch(
  () => {
    const rows = virtualizer.value.getVirtualItems().filter(({ key }) => key !== props.pinned)
    return [rows[0]?.index ?? 0, rows.at(-1)?.index ?? 0] as const
  },
  ([first, last], before) => {
    if (first !== before?.[0] || last !== before[1]) emit('drawn', first, last)
  },
  { immediate: true },
)
// The part of the page above the list grows and shrinks.
const observer = new ResizeObserver(() => {
  if (list.value) margin.value = Math.round(list.value.getBoundingClientRect().top + scrollY)
})
onMounted(() => observer.observe(document.body))
onBeforeUnmount(() => observer.disconnect())
function measure(element: unknown) {
  if (element instanceof HTMLElement) virtualizer.value.measureElement(element)
}
</script>

<template>
  <ul ref="list" :aria-label="label" :style="{ height: `${virtualizer.getTotalSize()}px` }">
    <li
      v-for="row in virtualizer.getVirtualItems()"
      :ref="measure"
      :key="String(row.key)"
      :data-index="row.index"
      :aria-setsize="items.length"
      :aria-posinset="row.index + 1"
      :style="{ transform: `translateY(${row.start - margin}px)` }"
    >
      <slot :item="items[row.index]!" :index="row.index" />
    </li>
  </ul>
</template>

<style scoped>
ul {
  position: relative;
  box-shadow: 0 -1px var(--line);
}
li {
  position: absolute;
  top: 0;
  left: 0;
  width: 100%;
  display: flow-root;
  border-bottom: 1px solid var(--hair);
}
</style>
