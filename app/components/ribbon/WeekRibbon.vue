<script setup lang="ts">
import { area as areaOf, curveStepAfter, scaleLinear, stack } from 'd3'
import { computed, ref } from 'vue'
import { startOfDay } from '../../../core/time/instant.ts'
import { useWidth } from '../../composables/useWidth.ts'
import { useBoard } from '../../stores/board.ts'
import { useMoment } from '../../stores/moment.ts'
import { useNetwork } from '../../stores/network.ts'
import { blockedWords } from '../../words/standing.ts'
import { clockOf, dateWords } from '../../words/time.ts'
import { blockedIn, DRAWN, type Step } from './steps.ts'

/** How wide a word of the key is, in pixels. */
const KEY_STEP = 86
const KEY = [{ state: 'cut-off', label: 'cut off' }, { state: 'listed-only', label: 'listed only' }, { state: 'filtered', label: 'filtered' }] as const
const HEIGHT = 84
const BASE = 62
const [network, moment, board] = [useNetwork(), useMoment(), useBoard()]
const frame = ref<HTMLElement | null>(null)
const width = useWidth(frame)

const x = computed(() => scaleLinear([board.week.from, board.week.until], [0, width.value]))
const steps = computed(() => board.course?.steps.filter(({ at }) => at < board.week.until) ?? [])
const y = computed(() => scaleLinear([0, Math.max(4, ...steps.value.map(step => blockedIn(step) + step.filtered))], [BASE, 16]))
/** For each state the outline of its layer, on those of the more closed ones. */
const layers = computed(() => {
  const last = steps.value.at(-1)
  if (!last) return []
  const shape = areaOf<{ 0: number, 1: number, data: Step }>().curve(curveStepAfter).x(point => x.value(point.data.at)).y0(point => y.value(point[0])).y1(point => y.value(point[1]))
  return stack<Step>().keys(DRAWN)([...steps.value, { ...last, at: board.week.until }]).map(layer => ({ state: layer.key, path: shape(layer) ?? '' }))
})
/** The changes to come in the days shown: edges of the time line at which the number of blocked devices changes. */
const marks = computed(() => steps.value.filter((step, index) => index > 0 && step.at > moment.now && blockedIn(step) !== blockedIn(steps.value[index - 1]!)).map(step => step.at))
const days = computed(() => Array.from({ length: 7 }, (_, index) => {
  const at = startOfDay(board.week.first + index, network.zone)
  const words = dateWords(at, network.zone)
  return { at, label: width.value > 560 ? words.split(' ').slice(0, 2).join(' ') : words.split(' ')[0] }
}))
const needleX = computed(() => x.value(moment.at))
/** Where the key stands: at the left, and at the right while the needle would cross its words. */
const keyX = computed(() => needleX.value < KEY.length * KEY_STEP ? width.value - KEY.length * KEY_STEP : 0)
const nowInView = computed(() => moment.now >= board.week.from && moment.now < board.week.until)
const label = computed(() => `${dateWords(moment.at, network.zone)}, ${clockOf(moment.at, network.zone)}`)
const blockedNow = computed(() => [steps.value.findLast(step => step.at <= moment.at)].reduce((sum, step) => sum + (step ? blockedIn(step) : 0), 0))

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
      <g v-if="width > 560" class="key">
        <template v-for="(word, index) in KEY" :key="word.state"><rect :x="keyX + index * KEY_STEP" y="3" width="9" height="9" :class="word.state" /><text :x="keyX + index * KEY_STEP + 14" y="11">{{ word.label }}</text></template>
      </g>
      <path v-for="layer in layers" :key="layer.state" :d="layer.path" :class="layer.state" />
      <line v-for="at in marks" :key="at" :x1="x(at)" :x2="x(at)" :y1="BASE" :y2="BASE + 4" class="mark" />
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
.cut-off { fill: var(--ink); fill-opacity: 0.62; }
.listed-only { fill: var(--ink); fill-opacity: 0.36; }
.filtered { fill: var(--water); fill-opacity: 0.75; }
.mark { stroke: var(--needle); stroke-width: 1; }
.base { stroke: var(--ink); stroke-width: 0.8; }
.now { stroke: var(--ink); stroke-dasharray: 2 3; }
.needle { stroke: var(--needle); stroke-width: 1.6; }
.knob { fill: var(--needle); }
</style>
