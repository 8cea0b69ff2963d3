<script setup lang="ts">
import { computed, ref } from 'vue'
import { weekText, type Week } from '../../../core/time/week.ts'
import { useWidth } from '../../composables/useWidth.ts'
import { weekLanes } from './lanes.ts'

/** A week as seven lanes on the board's axis; `needle` is the moment's weekday (0 = Monday) and minute. */
const props = defineProps<{ week: Week, needle: { day: number, minute: number } }>()
const NAMES = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']
const LANE = 26
const LEFT = 40
const TOP = 18
const frame = ref<HTMLElement | null>(null)
const width = useWidth(frame)
const lanes = computed(() => weekLanes(props.week))
const x = (minutes: number) => LEFT + minutes / 1440 * (width.value - LEFT - 2)
const base = (day: number) => TOP + (day + 1) * LANE - 4
</script>

<template>
  <div ref="frame">
    <svg v-if="width > 0" :width="width" :height="TOP + 7 * LANE" role="img" :aria-label="`The week as a picture: ${weekText(week)}`">
      <g v-for="hour in 9" :key="hour">
        <text :x="x((hour - 1) * 180)" y="11" text-anchor="middle">{{ String((hour - 1) * 3).padStart(2, '0') }}</text>
        <line :x1="x((hour - 1) * 180)" :x2="x((hour - 1) * 180)" :y1="TOP" :y2="TOP + 7 * LANE" class="grid" />
      </g>
      <g v-for="(lane, day) in lanes" :key="day">
        <text x="0" :y="base(day) - 4" class="name">{{ NAMES[day] }}</text>
        <line :x1="LEFT" :x2="width - 2" :y1="base(day)" :y2="base(day)" class="base" />
        <rect v-for="(bar, index) in lane" :key="index" :x="x(bar.start)" :y="base(day) - 16" :width="Math.max(1, x(bar.end) - x(bar.start))" height="16" class="bar" />
        <path v-for="(bar, index) in lane.filter(bar => bar.runsOn)" :key="`r${index}`" :d="`M${x(1440)},${base(day) - 16}v16`" class="seam" />
        <path v-for="(bar, index) in lane.filter(bar => bar.joined)" :key="`j${index}`" :d="`M${x(0)},${base(day) - 16}v16`" class="seam" />
      </g>
      <line :x1="x(needle.minute)" :x2="x(needle.minute)" :y1="base(needle.day) - 20" :y2="base(needle.day) + 3" class="needle" />
      <circle :cx="x(needle.minute)" :cy="base(needle.day) - 20" r="3.4" class="knob" />
    </svg>
  </div>
</template>

<style scoped>
svg { display: block; overflow: visible; }
text { font-size: 11px; fill: var(--soft); }
.name { font-size: 12px; }
.grid { stroke: var(--line); stroke-width: 0.7; }
.base { stroke: var(--ink); stroke-width: 0.7; }
.bar { fill: var(--deep); }
.seam { stroke: var(--needle); stroke-width: 2; stroke-dasharray: 2 2; }
.needle { stroke: var(--needle); stroke-width: 1.5; }
.knob { fill: var(--needle); }
</style>
