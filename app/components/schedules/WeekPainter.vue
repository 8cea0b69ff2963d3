<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import { clockText, weekText, type Week } from '../../../core/time/week.ts'
import { useWidth } from '../../composables/useWidth.ts'
import {
  between,
  endedAt,
  lanesOf,
  moved,
  startedAt,
  startOf,
  weekOf,
  windowsOf,
  windowWords,
  type Window,
} from '../../model/paint.ts'
import { clockWords } from '../../../core/words/clock.ts'
import { schedulesText } from '../../text/schedules.ts'

/**
 * A week to paint: drag in a lane to make a window, drag its body to move it, its ends to stretch it, by
 * keyboard to the minute.
 */
const props = defineProps<{
  week: Week
  /** The moment's weekday (0 = Monday) and minute. */
  needle: { day: number; minute: number }
}>()
/** `begin` before an act, so that it can be undone as one; `paint` with the week at every step of it. */
const emit = defineEmits<{ begin: []; paint: [week: Week] }>()

const NAMES = [
  schedulesText.mon,
  schedulesText.tue,
  schedulesText.wed,
  schedulesText.thu,
  schedulesText.fri,
  schedulesText.sat,
  schedulesText.sun,
]
const [LANE, LEFT, TOP, HEIGHT, GRIP, STEP] = [28, 40, 18, 18, 9, 15]
/** The label of an hour of the axis: "09", or "9 am". */
const hourWords = (minute: number) => clockWords(clockText(minute)).replace(/^(\d\d):00$/, '$1')
const frame = ref<HTMLElement | null>(null)
const width = useWidth(frame)
const track = computed(() => Math.max(1, width.value - LEFT - 2))
/** The windows while one is being dragged, not united yet. */
const dragged = ref<Window[] | null>(null)
const windows = computed(() => dragged.value ?? windowsOf(props.week))
const x = (minute: number) => LEFT + (minute / 1440) * track.value
const base = (day: number) => TOP + (day + 1) * LANE - 5
const bars = computed(() =>
  windows.value.map((window, index) => ({
    window,
    index,
    parts: lanesOf(window).map(([day, from, until], part, all) => ({
      x: x(from),
      y: base(day) - HEIGHT,
      width: Math.max(2, x(until) - x(from)),
      first: part === 0,
      last: part === all.length - 1,
    })),
  })),
)

type Grip = 'move' | 'start' | 'end'
let drag: { grip: Grip | 'make'; index: number; anchor: number; was: Window; id: number } | null = null

/** The absolute minute under the pointer, on the grid of steps. */
function minuteAt(event: PointerEvent, step: number): number {
  const { left, top } = frame.value!.getBoundingClientRect()
  const day = Math.min(6, Math.max(0, Math.floor((event.clientY - top - TOP) / LANE)))
  const minute = Math.min(1440, Math.max(0, ((event.clientX - left - LEFT) / track.value) * 1440))
  return day * 1440 + Math.round(minute / step) * step
}
function grab(event: PointerEvent, index: number, grip: Grip | 'make') {
  if (event.button !== 0) return
  event.preventDefault()
  emit('begin')
  const anchor = minuteAt(event, STEP)
  dragged.value = [...windowsOf(props.week), ...(grip === 'make' ? [between(anchor, anchor, STEP)] : [])]
  const at = grip === 'make' ? dragged.value.length - 1 : index
  drag = { grip, index: at, anchor, was: dragged.value[at]!, id: event.pointerId }
  frame.value!.setPointerCapture(event.pointerId)
  if (grip === 'make') emit('paint', weekOf(dragged.value))
}
function pull(event: PointerEvent) {
  if (!drag || event.pointerId !== drag.id) return
  const minute = minuteAt(event, STEP)
  const { grip, anchor, was } = drag
  let window
  if (grip === 'make') window = between(anchor, minute, STEP)
  else if (grip === 'move') window = moved(was, minute - anchor)
  else if (grip === 'end') window = endedAt(was, minute, STEP)
  else window = startedAt(was, minute, STEP)
  dragged.value = dragged.value!.map((other, index) => (index === drag!.index ? window : other))
  emit('paint', weekOf(dragged.value))
}
function release() {
  drag = null
  dragged.value = null
}

async function onKey(event: KeyboardEvent, window: Window, index: number) {
  const step = event.altKey ? 1 : STEP
  const by = { ArrowLeft: -step, ArrowRight: step, ArrowUp: -1440, ArrowDown: 1440 }[event.key]
  const end = startOf(window) + window.end - window.start
  const gone = event.key === 'Delete' || event.key === 'Backspace'
  if (by === undefined && !gone) return
  event.preventDefault()
  emit('begin')
  const next = gone ? [] : [event.shiftKey ? endedAt(window, end + by!, 1) : moved(window, by!)]
  const week = weekOf([...windows.value.filter((_, other) => other !== index), ...next])
  emit('paint', week)
  await nextTick()
  // The bars are in the order of the week: hold on to the one that was moved, also where it united with
  // another.
  const held =
    next[0] &&
    windowsOf(week).findIndex(
      (other) => other.day === next[0]!.day && other.start <= next[0]!.start && next[0]!.start < other.end,
    )
  frame.value?.querySelectorAll<SVGElement>('[data-window]')[held ?? 0]?.focus()
}
function add(day: number) {
  emit('begin')
  emit('paint', weekOf([...windows.value, { day, start: 1260, end: 1860 }]))
}
</script>

<template>
  <div ref="frame" class="painter" @pointermove="pull" @pointerup="release" @pointercancel="release">
    <svg
      v-if="width > 0"
      :width="width"
      :height="TOP + 7 * LANE"
      role="group"
      :aria-label="schedulesText.theWeekAsAPicture(weekText(week))"
    >
      <g v-for="hour in 9" :key="hour">
        <text :x="x((hour - 1) * 180)" y="11" text-anchor="middle">{{ hourWords((hour - 1) * 180) }}</text>
        <line
          :x1="x((hour - 1) * 180)"
          :x2="x((hour - 1) * 180)"
          :y1="TOP"
          :y2="TOP + 7 * LANE"
          class="grid"
        />
      </g>
      <g v-for="(name, day) in NAMES" :key="name">
        <rect
          :x="LEFT"
          :y="base(day) - HEIGHT - 4"
          :width="track"
          :height="LANE"
          class="lane"
          @pointerdown="grab($event, -1, 'make')"
        />
        <text
          x="0"
          :y="base(day) - 4"
          class="name"
          role="button"
          tabindex="0"
          :aria-label="schedulesText.addATimeRangeOn(name)"
          @click="add(day)"
          @keydown.enter="add(day)"
          @keydown.space.prevent="add(day)"
        >
          {{ name }}
        </text>
        <line :x1="LEFT" :x2="width - 2" :y1="base(day)" :y2="base(day)" class="base" />
      </g>
      <g
        v-for="bar in bars"
        :key="bar.index"
        data-window
        tabindex="0"
        role="button"
        :aria-label="schedulesText.rangeKeys(windowWords(bar.window))"
        @keydown="onKey($event, bar.window, bar.index)"
      >
        <template v-for="(part, index) in bar.parts" :key="index">
          <rect
            :x="part.x"
            :y="part.y"
            :width="part.width"
            :height="HEIGHT"
            class="bar"
            @pointerdown="grab($event, bar.index, 'move')"
          />
          <path v-if="!part.last" :d="`M${part.x + part.width},${part.y + 4}l6,5l-6,5z`" class="goes-on" />
          <path v-if="!part.first" :d="`M${part.x - 6},${part.y + 4}l6,5l-6,5z`" class="goes-on" />
          <path
            :d="`${part.first && part.width > 14 ? `M${part.x + 4},${part.y + 5}v8` : ''}${part.last && part.width > 14 ? `M${part.x + part.width - 4},${part.y + 5}v8` : ''}`"
            class="hold"
          />
          <rect
            v-if="part.first"
            :x="part.x - GRIP / 2"
            :y="part.y"
            :width="GRIP"
            :height="HEIGHT"
            class="grip"
            @pointerdown.stop="grab($event, bar.index, 'start')"
          />
          <rect
            v-if="part.last"
            :x="part.x + part.width - GRIP / 2"
            :y="part.y"
            :width="GRIP"
            :height="HEIGHT"
            class="grip"
            @pointerdown.stop="grab($event, bar.index, 'end')"
          />
        </template>
        <title>{{ windowWords(bar.window) }}</title>
      </g>
      <g class="moment">
        <line
          :x1="x(needle.minute)"
          :x2="x(needle.minute)"
          :y1="base(needle.day) - 22"
          :y2="base(needle.day) + 3"
          class="needle"
        />
        <circle :cx="x(needle.minute)" :cy="base(needle.day) - 22" r="3.4" class="knob" />
      </g>
    </svg>
  </div>
</template>

<style scoped>
.painter {
  touch-action: none;
  user-select: none;
}
svg {
  display: block;
  overflow: visible;
}
text {
  font-size: 13px;
  fill: var(--soft);
}
.name {
  font-size: 13px;
  cursor: pointer;
}
.name:hover {
  fill: var(--ink);
}
.grid {
  stroke: var(--line);
  stroke-width: 0.7;
  pointer-events: none;
}
.lane {
  fill: transparent;
  cursor: crosshair;
}
.base {
  stroke: var(--ink);
  stroke-width: 0.7;
  pointer-events: none;
}
.bar {
  fill: var(--allow);
  cursor: grab;
}
[data-window]:hover .bar {
  opacity: 0.86;
}
.grip {
  fill: transparent;
  cursor: ew-resize;
}
[data-window]:hover .grip,
[data-window]:focus .grip {
  fill: var(--ink);
}
.goes-on {
  fill: var(--ink);
  pointer-events: none;
}
.hold {
  stroke: var(--leaf);
  stroke-width: 2;
  pointer-events: none;
}
.moment {
  pointer-events: none;
}
.needle {
  stroke: var(--needle);
  stroke-width: 1.5;
}
.knob {
  fill: var(--needle);
}
</style>
