<script setup lang="ts">
import { scaleLinear } from 'd3'
import { computed, ref } from 'vue'
import { startOfDay } from '../../../core/time/instant.ts'
import { useDecided } from '../../composables/useDecider.ts'
import { useWidth } from '../../composables/useWidth.ts'
import { useBoard } from '../../stores/board.ts'
import { useMoment } from '../../stores/moment.ts'
import { useNetwork } from '../../stores/network.ts'
import { blockedWords } from '../../words/standing.ts'
import { clockOf, dateWords } from '../../words/time.ts'
import { blockedSteps } from './steps.ts'

const HEIGHT = 84
const BASE = 62
const [network, moment, board] = [useNetwork(), useMoment(), useBoard()]
const frame = ref<HTMLElement | null>(null)
const width = useWidth(frame)

const timelines = useDecided(() => network.live && board.rows.length > 0
  ? { kind: 'timelines' as const, policy: network.live.policy, subjects: board.rows.map(row => row.subject), from: board.week.from, until: board.week.until }
  : null)
const x = computed(() => scaleLinear([board.week.from, board.week.until], [0, width.value]))
const steps = computed(() => blockedSteps(timelines.value ?? []))
const y = computed(() => scaleLinear([0, Math.max(4, ...steps.value.map(step => step.blocked))], [BASE, 16]))
const area = computed(() => steps.value.length === 0 ? '' : `M0,${BASE}${steps.value.map(step => `H${x.value(step.at)}V${y.value(step.blocked)}`).join('')}H${width.value}V${BASE}Z`)
const days = computed(() => Array.from({ length: 7 }, (_, index) => {
  const at = startOfDay(board.week.first + index, network.zone)
  const words = dateWords(at, network.zone)
  return { at, label: width.value > 560 ? words.split(' ').slice(0, 2).join(' ') : words.split(' ')[0] }
}))
const needleX = computed(() => x.value(moment.at))
const nowInView = computed(() => moment.now >= board.week.from && moment.now < board.week.until)
const label = computed(() => `${dateWords(moment.at, network.zone)}, ${clockOf(moment.at, network.zone)}`)
const blockedNow = computed(() => steps.value.findLast(step => step.at <= moment.at)?.blocked ?? 0)

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
const STEPS: Readonly<Record<string, number>> = { ArrowLeft: -900, ArrowRight: 900, ArrowDown: -3600, ArrowUp: 3600, PageDown: -86400, PageUp: 86400 }
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
      :width="width" :height="HEIGHT" role="slider" tabindex="0" aria-label="The moment shown: move it with the arrow keys, a day with Page Up and Page Down, Home for now"
      :aria-valuemin="board.week.from" :aria-valuemax="board.week.until" :aria-valuenow="moment.at" :aria-valuetext="`${label}, ${blockedWords(blockedNow)}`"
      @pointerdown="grab" @pointermove="drag" @pointerup="dragging = false" @keydown="onKey"
    >
      <text v-if="width > 560 || needleX > 110" x="0" y="11">devices blocked</text>
      <path :d="area" class="area" />
      <line x1="0" :x2="width" :y1="BASE" :y2="BASE" class="base" />
      <g v-for="day in days" :key="day.at">
        <line :x1="x(day.at)" :x2="x(day.at)" :y1="BASE - 4" :y2="BASE + 6" class="base" />
        <text :x="x(day.at) + 4" :y="BASE + 16">{{ day.label }}</text>
      </g>
      <g v-if="nowInView && !moment.isNow">
        <line :x1="x(moment.now)" :x2="x(moment.now)" y1="16" :y2="BASE" class="now" />
      </g>
      <line :x1="needleX" :x2="needleX" y1="5" :y2="BASE + 6" class="needle" />
      <circle :cx="needleX" cy="5" r="4.5" class="knob" />
    </svg>
  </div>
</template>

<style scoped>
.ribbon { width: 100%; min-width: 0; }
svg { display: block; overflow: visible; cursor: ew-resize; touch-action: none; }
text { font-size: 11px; fill: var(--soft); user-select: none; }
.area { fill: var(--shade); }
.base { stroke: var(--ink); stroke-width: 0.8; }
.now { stroke: var(--ink); stroke-dasharray: 2 3; }
.needle { stroke: var(--needle); stroke-width: 1.6; }
.knob { fill: var(--needle); }
</style>
