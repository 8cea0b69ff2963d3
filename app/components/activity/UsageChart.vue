<script setup lang="ts">
import { scaleLinear } from 'd3-scale'
import { computed, ref } from 'vue'
import type { Segment } from '../../../core/decision/timeline.ts'
import { hoursWords } from '../../../core/words/length.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { useWidth } from '../../composables/useWidth.ts'
import type { Bar, Measure } from '../../model/usage.ts'
import { activityText } from '../../text/activity.ts'
import { bytesWords } from '../../text/gateway.ts'
import { timeAxis, whenWords } from '../../text/time.ts'

/** The usage of a device over a range, as bars on the hours in which the internet was not blocked for it. */
const props = defineProps<{
  bars: readonly Bar[]
  measure: Measure
  /** The highest bar of all that stand beside one another. */
  highest: number
  /** The range, in seconds. */
  from: number
  until: number
  /** The standing of the device over the range; empty until that is worked out. */
  segments: readonly Segment[]
  /** The chart in words, for those who do not see it. */
  label: string
}>()
const HEIGHT = 120
/** Room for the words of the axes, in pixels. */
const [LEFT, TOP, BOTTOM] = [56, 8, 20]
const [place, moment] = [usePlace(), useMoment()]
const frame = ref<HTMLElement | null>(null)
const width = useWidth(frame)
const read = ref<Bar | null>(null)

const x = computed(() => scaleLinear([props.from, props.until], [LEFT, width.value]))
/** The end of the scale: a round number of bytes, or of hours. */
const most = computed(() => {
  const highest = props.highest || 1
  if (props.measure === 'bytes' || highest <= 60)
    return scaleLinear([0, highest], [0, 1]).nice(2).domain()[1]!
  return (
    scaleLinear([0, highest / 60], [0, 1])
      .nice(2)
      .domain()[1]! * 60
  )
})
const y = computed(() => scaleLinear([0, most.value], [HEIGHT - BOTTOM, TOP]))
const axis = computed(() => timeAxis(props.from, props.until, place.zone))
const words = (value: number) => (props.measure === 'bytes' ? bytesWords(value) : hoursWords(value))
const levels = computed(() => [most.value / 2, most.value])
/** One path for all bars: a month has hundreds. */
const path = (some: readonly Bar[]) =>
  some
    .map((bar) => {
      const [x0, x1, top] = [x.value(bar.from), x.value(bar.until), y.value(bar[props.measure])]
      const gap = Math.min(1, (x1 - x0) / 6)
      return `M${x0 + gap},${HEIGHT - BOTTOM}V${top}H${x1 - gap}V${HEIGHT - BOTTOM}Z`
    })
    .join('')
const allowed = computed(() =>
  props.segments
    .filter(({ state }) => state !== 'cut-off')
    .map(({ from, until }) => {
      const [x0, x1] = [x.value(Math.max(from, props.from)), x.value(Math.min(until, props.until))]
      return `M${x0},${TOP}H${x1}V${HEIGHT - BOTTOM}H${x0}Z`
    })
    .join(''),
)
const readWords = computed(() => {
  const bar = read.value
  if (!bar) return ''
  const active = activityText.activeFor(bar.minutes)
  return `${whenWords(bar.from, moment.now, place.zone)}: ${bytesWords(bar.bytes)}, ${active}`
})
function point(event: PointerEvent) {
  const { left } = frame.value!.getBoundingClientRect()
  const at = x.value.invert(event.clientX - left)
  read.value = props.bars.find(({ from, until }) => from <= at && at < until) ?? null
}
/** Left and right walk from bar to bar. */
function walk(by: number) {
  const first = by > 0 ? 0 : props.bars.length - 1
  const index = read.value ? props.bars.indexOf(read.value) + by : first
  read.value = props.bars[Math.min(Math.max(index, 0), props.bars.length - 1)] ?? null
}
</script>

<template>
  <div ref="frame">
    <svg
      :width="width"
      :height="HEIGHT"
      role="img"
      tabindex="0"
      :aria-label="`${label}. ${readWords}`"
      @pointermove="point"
      @pointerleave="read = null"
      @keydown.left.prevent="walk(-1)"
      @keydown.right.prevent="walk(1)"
    >
      <path :d="allowed" class="allowed" />
      <g v-for="{ at, label: tick } in axis.ticks" :key="at">
        <line :x1="x(at)" :x2="x(at)" :y1="TOP" :y2="HEIGHT - BOTTOM" class="grid" />
        <text v-if="x(at) < width - 24" :x="x(at) + 2" :y="HEIGHT - 5">{{ tick }}</text>
      </g>
      <g v-for="level in levels" :key="level">
        <line :x1="LEFT" :x2="width" :y1="y(level)" :y2="y(level)" class="grid" />
        <text :x="LEFT - 6" :y="y(level) + 4" text-anchor="end">{{ words(level) }}</text>
      </g>
      <path :d="path(bars)" class="bar" />
      <path v-if="read" :d="path([read])" class="bar read" />
      <line :x1="LEFT" :x2="width" :y1="HEIGHT - BOTTOM" :y2="HEIGHT - BOTTOM" class="base" />
    </svg>
    <p class="soft words" aria-hidden="true">{{ readWords || activityText.allowedThen }}</p>
  </div>
</template>

<style scoped>
svg {
  display: block;
}
text {
  font-size: 13px;
  fill: var(--soft);
}
.grid {
  stroke: var(--hair);
}
.base {
  stroke: var(--ink);
}
.allowed {
  fill: var(--second);
  opacity: 0.16;
}
.bar {
  fill: var(--allow);
}
.read {
  fill: var(--ink);
}
.words {
  font-size: 13px;
  min-height: 20px;
}
</style>
