<script setup lang="ts">
import { computed } from 'vue'
import type { Ranges } from '../../../core/time/ranges.ts'
import { bandShapes, mayBeShapes, type StateRange } from '../../../core/picture/band.ts'

/** A device's access over a range, drawn as height; `brackets` mark overrides above it. */
const props = withDefaults(
  defineProps<{
    stretches: readonly StateRange[]
    /** The range that is drawn, in seconds. */
    from: number
    until: number
    /** Pixels. */
    width: number
    height?: number
    brackets?: readonly { from: number; until: number }[]
    /** The times at which it may be blocked. */
    mayBe?: Ranges
    /** The picture in words, for those who do not see it. */
    label: string
  }>(),
  { height: 19, brackets: () => [], mayBe: () => [] },
)

// A few paths for all stretches: with an element each, a screen of bands is thousands of them to lay out
// while one pans.
const paths = computed(() => {
  const shapes = bandShapes(props.stretches, props.from, props.until, props.width, props.height)
  const base = (some: typeof shapes) => some.map(({ x0, x1 }) => `M${x0},${props.height}H${x1}`).join('')
  return [
    { name: 'fill', d: shapes.map(({ path }) => path).join('') },
    {
      name: 'dot',
      d: shapes.flatMap(({ dots }) => dots.map((dot) => `M${dot},${props.height - 5}h.01`)).join(''),
    },
    { name: 'base', d: base(shapes.filter(({ state }) => state !== 'cut-off')) },
    { name: 'base cut', d: base(shapes.filter(({ state }) => state === 'cut-off')) },
    {
      name: 'may',
      d: mayBeShapes(props.mayBe, props.from, props.until, props.width, props.height).join(''),
    },
    { name: 'mark', d: marks.value },
  ].filter(({ d }) => d !== '')
})
const scale = (instant: number) =>
  ((Math.min(Math.max(instant, props.from), props.until) - props.from) / (props.until - props.from)) *
  props.width
const marks = computed(() =>
  props.brackets
    .map(({ from, until }) => ({ x0: scale(from), x1: scale(until) }))
    .filter(({ x0, x1 }) => x1 > x0)
    .map(({ x0, x1 }) => `M${x0},0V-4H${x1}V0`)
    .join(''),
)
</script>

<template>
  <svg
    class="band"
    :width="width"
    :height="height + 6"
    :viewBox="`0 -5 ${width} ${height + 6}`"
    role="img"
    :aria-label="label"
  >
    <path v-for="path in paths" :key="path.name" :d="path.d" :class="path.name" />
  </svg>
</template>

<style scoped>
.band {
  display: block;
  overflow: visible;
}
.fill {
  fill: var(--allow);
}
.may {
  fill: var(--paper);
  opacity: 0.65;
}
.dot {
  fill: none;
  stroke: var(--allow);
  stroke-width: 3.4;
  stroke-linecap: round;
}
.base {
  stroke: var(--ink);
  stroke-width: 0.7;
}
.base.cut {
  stroke-width: 3;
}
.mark {
  fill: none;
  stroke: var(--needle);
  stroke-width: 1.5;
}
</style>
