<script setup lang="ts">
import { DAY, HOUR } from '../../../core/time/duration.ts'
import { scaleLinear } from 'd3-scale'
import { area as areaOf, curveStepAfter, stack } from 'd3-shape'
import { computed, ref } from 'vue'
import { startOfDay } from '../../../core/time/instant.ts'
import { useWidth } from '../../composables/useWidth.ts'
import { useBoard } from '../../stores/board.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { blockedWords } from '../../text/standing.ts'
import { clockOf, dateWords } from '../../text/time.ts'
import { blockedIn, DRAWN, type Step } from '../../model/board/steps.ts'
import { shellText } from '../../text/shell.ts'

/**
 * The band of the whole network: its height is how many devices have access, so that it sinks where many are
 * blocked.
 */
const HEIGHT = 84
const TOP = 20
const BASE = 64
/** The width of the title in pixels. */
const TITLE = 230
const [place, moment, board] = [usePlace(), useMoment(), useBoard()]
const frame = ref<HTMLElement | null>(null)
const width = useWidth(frame)

const x = computed(() => scaleLinear([board.week.from, board.week.until], [0, width.value]))
const steps = computed(() => board.course?.steps.filter(({ at }) => at < board.week.until) ?? [])
const y = computed(() => scaleLinear([0, Math.max(1, board.rows.length)], [BASE, TOP]))
/** For each state the outline of its layer, on those with more access. */
const layers = computed(() => {
  const last = steps.value.at(-1)
  if (!last) return []
  const shape = areaOf<{ 0: number; 1: number; data: Step }>()
    .curve(curveStepAfter)
    .x((point) => x.value(point.data.at))
    .y0((point) => y.value(point[0]))
    .y1((point) => y.value(point[1]))
  return stack<Step>()
    .keys(DRAWN)([...steps.value, { ...last, at: board.week.until }])
    .map((layer) => ({ state: layer.key, path: shape(layer) ?? '' }))
})
/**
 * The changes to come in the days shown: edges of the time line at which the number of blocked devices
 * changes.
 */
const marks = computed(() =>
  steps.value
    .filter(
      (step, index) =>
        index > 0 && step.at > moment.now && blockedIn(step) !== blockedIn(steps.value[index - 1]!),
    )
    .map((step) => step.at),
)
const days = computed(() =>
  Array.from({ length: 7 }, (_, index) => {
    const at = startOfDay(board.week.first + index, place.zone)
    const words = dateWords(at, place.zone)
    return { at, label: width.value > 560 ? words.split(' ').slice(0, 2).join(' ') : words.split(' ')[0] }
  }),
)
const needleX = computed(() => x.value(moment.at))
/** The title stands at the left, and at the right while the needle would cross it. */
const titleX = computed(() => (needleX.value < TITLE ? width.value : 0))
const nowInView = computed(() => moment.now >= board.week.from && moment.now < board.week.until)
const label = computed(() => `${dateWords(moment.at, place.zone)}, ${clockOf(moment.at, place.zone)}`)
const title = computed(() => shellText.ribbonOf(board.rows.length))
const blockedNow = computed(() => {
  const step = steps.value.findLast(({ at }) => at <= moment.at)
  return step ? blockedIn(step) : 0
})

let dragging = false
function drag(event: PointerEvent) {
  if (!dragging) return
  const { left } = frame.value!.getBoundingClientRect()
  const at = x.value.invert(Math.min(Math.max(event.clientX - left, 0), width.value - 1))
  moment.put(Math.round(at / 300) * 300)
}
function grab(event: PointerEvent) {
  dragging = true
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  drag(event)
}
const STEPS: Readonly<Record<string, number>> = {
  ArrowLeft: -900,
  ArrowRight: 900,
  ArrowDown: -3600,
  ArrowUp: HOUR,
  PageDown: -DAY,
  PageUp: DAY,
}
function onKey(event: KeyboardEvent) {
  if (event.key === 'Home') moment.back()
  else if (STEPS[event.key]) moment.step(STEPS[event.key]! * (event.shiftKey ? 4 : 1))
  else return
  event.preventDefault()
}
</script>

<template>
  <div ref="frame" class="ribbon">
    <svg
      :width="width"
      :height="HEIGHT"
      role="slider"
      tabindex="0"
      :aria-label="shellText.ribbonKeys"
      :aria-valuemin="board.week.from"
      :aria-valuemax="board.week.until"
      :aria-valuenow="moment.at"
      :aria-valuetext="`${label}, ${blockedWords(blockedNow)}`"
      @pointerdown="grab"
      @pointermove="drag"
      @pointerup="dragging = false"
      @keydown="onKey"
    >
      <pattern id="ribbon-dots" width="6" height="5" patternUnits="userSpaceOnUse">
        <circle cx="3" cy="2.5" r="1.4" class="dot" />
      </pattern>
      <text v-if="width > 560" :x="titleX" y="12" :text-anchor="titleX === 0 ? 'start' : 'end'">
        {{ title }}
      </text>
      <line x1="0" :x2="width" :y1="TOP" :y2="TOP" class="full" />
      <path v-for="layer in layers" :key="layer.state" :d="layer.path" :class="layer.state" />
      <line
        v-for="at in marks"
        :key="at"
        :x1="x(at)"
        :x2="x(at)"
        :y1="BASE + 2"
        :y2="BASE + 6"
        class="mark"
      />
      <line x1="0" :x2="width" :y1="BASE" :y2="BASE" class="base" />
      <g v-for="day in days" :key="day.at">
        <line :x1="x(day.at)" :x2="x(day.at)" :y1="TOP" :y2="BASE + 18" class="day" />
        <text :x="x(day.at) + 4" :y="BASE + 16">{{ day.label }}</text>
      </g>
      <line
        v-if="nowInView && !moment.isNow"
        :x1="x(moment.now)"
        :x2="x(moment.now)"
        :y1="TOP"
        :y2="BASE"
        class="now"
      />
      <line :x1="needleX" :x2="needleX" y1="12" :y2="BASE + 4" class="needle" />
      <path :d="`M${needleX - 5},4h10v6l-5,5l-5,-5z`" class="flag" />
    </svg>
  </div>
</template>

<style scoped>
.ribbon {
  width: 100%;
  min-width: 0;
}
svg {
  display: block;
  overflow: visible;
  cursor: ew-resize;
  touch-action: none;
}
text {
  font-size: 13px;
  fill: var(--soft);
  user-select: none;
}
.open {
  fill: var(--allow);
}
.filtered {
  fill: var(--second);
}
.listed-only {
  fill: url(#ribbon-dots);
}
.dot {
  fill: var(--allow);
}
.mark {
  stroke: var(--ink);
  stroke-width: 1;
}
.full,
.day {
  stroke: var(--hair);
}
.base {
  stroke: var(--ink);
  stroke-width: 2;
}
.now {
  stroke: var(--ink);
  stroke-dasharray: 2 3;
}
.needle {
  stroke: var(--needle);
  stroke-width: 2;
}
.flag {
  fill: var(--needle);
}
</style>
