<script setup lang="ts">
import { computed } from 'vue'
import { bandShapes, type Stretch } from './band.ts'

/** A device's access over a range, drawn as height; `brackets` mark overrides above it. */
const props = withDefaults(defineProps<{
  stretches: readonly Stretch[]
  /** The range that is drawn, in seconds. */
  from: number
  until: number
  /** Pixels. */
  width: number
  height?: number
  brackets?: readonly { from: number, until: number }[]
  /** What the picture says, for those who do not see it. */
  label: string
}>(), { height: 19, brackets: () => [] })

const shapes = computed(() => bandShapes(props.stretches, props.from, props.until, props.width, props.height))
const scale = (instant: number) => (Math.min(Math.max(instant, props.from), props.until) - props.from) / (props.until - props.from) * props.width
const marks = computed(() => props.brackets.map(({ from, until }) => ({ x0: scale(from), x1: scale(until) })).filter(({ x0, x1 }) => x1 > x0))
</script>

<template>
  <svg class="band" :width="width" :height="height + 6" :viewBox="`0 -5 ${width} ${height + 6}`" role="img" :aria-label="label">
    <template v-for="(shape, index) in shapes" :key="index">
      <path v-if="shape.path" :d="shape.path" class="fill" />
      <circle v-for="dot in shape.dots" :key="dot" :cx="dot" :cy="height - 5" r="1.7" class="dot" />
      <line :x1="shape.x0" :x2="shape.x1" :y1="height" :y2="height" :class="shape.state === 'cut-off' ? 'base cut' : 'base'" />
    </template>
    <path v-for="(mark, index) in marks" :key="`m${index}`" class="mark" :d="`M${mark.x0},0V-4H${mark.x1}V0`" />
  </svg>
</template>

<style scoped>
.band { display: block; overflow: visible; }
.fill { fill: var(--water); }
.dot { fill: var(--deep); }
.base { stroke: var(--ink); stroke-width: 0.7; }
.base.cut { stroke-width: 1.8; }
.mark { fill: none; stroke: var(--needle); stroke-width: 1.5; }
</style>
