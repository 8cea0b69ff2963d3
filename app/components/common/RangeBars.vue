<script setup lang="ts">
import { computed } from 'vue'
import type { Ranges } from '../../../core/time/ranges.ts'

/** Times of a week as bars on a line, a mark at the begin of each day, and the needle. Instants in seconds. */
const props = defineProps<{
  ranges: Ranges
  from: number
  until: number
  at: number
  /** Pixels; the needle reaches `above` pixels over the line. */
  width: number
  above: number
  /** The picture in words. */
  label: string
}>()
const scale = (instant: number) =>
  ((Math.min(Math.max(instant, props.from), props.until) - props.from) / (props.until - props.from)) *
  props.width
const bars = computed(() =>
  props.ranges
    .map(({ from, until }) => ({ x: scale(from), width: scale(until) - scale(from) }))
    .filter(({ width }) => width > 0),
)
const days = computed(() => Array.from({ length: 8 }, (_, day) => (day / 7) * props.width))
</script>

<template>
  <svg :width="width" height="7" role="img" :aria-label="label">
    <line v-for="day in days" :key="day" :x1="day" :x2="day" y1="0" y2="7" class="day" />
    <rect
      v-for="(bar, index) in bars"
      :key="index"
      :x="bar.x"
      y="2"
      :width="bar.width"
      height="3"
      class="bar"
    />
    <line :x1="scale(at)" :x2="scale(at)" :y1="-above" y2="7" class="needle" />
  </svg>
</template>

<style scoped>
svg {
  display: block;
  overflow: visible;
}
.bar {
  fill: var(--ink);
}
.day {
  stroke: var(--line);
  stroke-width: 0.7;
}
.needle {
  stroke: var(--needle);
  stroke-width: 1.4;
}
</style>
