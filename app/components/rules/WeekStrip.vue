<script setup lang="ts">
import { computed } from 'vue'
import type { Ranges } from '../../../core/time/ranges.ts'

/** When a rule is in force over a week, as solid bars on a line, with the needle; instants in seconds. */
const props = defineProps<{ ranges: Ranges, from: number, until: number, at: number }>()
const WIDTH = 210
const scale = (instant: number) => (Math.min(Math.max(instant, props.from), props.until) - props.from) / (props.until - props.from) * WIDTH
const bars = computed(() => props.ranges.map(({ from, until }) => ({ x: scale(from), width: scale(until) - scale(from) })).filter(({ width }) => width > 0))
const days = computed(() => Array.from({ length: 8 }, (_, day) => day / 7 * WIDTH))
</script>

<template>
  <svg :width="WIDTH" height="24" role="img" :aria-label="`In force ${bars.length} ${bars.length === 1 ? 'time' : 'times'} in the week shown above`">
    <rect v-for="(bar, index) in bars" :key="index" :x="bar.x" y="6" :width="bar.width" height="13" class="bar" />
    <line x1="0" :x2="WIDTH" y1="19" y2="19" class="base" />
    <line v-for="day in days" :key="day" :x1="day" :x2="day" y1="17" y2="22" class="base" />
    <line :x1="scale(at)" :x2="scale(at)" y1="0" y2="22" class="needle" />
  </svg>
</template>

<style scoped>
svg { display: block; overflow: visible; }
.bar { fill: var(--deep); }
.base { stroke: var(--ink); stroke-width: 0.7; }
.needle { stroke: var(--needle); stroke-width: 1.4; }
</style>
