<script setup lang="ts">
import { computed } from 'vue'
import type { MetWeek } from '../../../core/decision/met.ts'
import type { Ranges } from '../../../core/time/ranges.ts'
import { usePlace } from '../../stores/place.ts'
import { clockOf } from '../../text/time.ts'
import AccessBand from '../common/AccessBand.vue'
import { bandWords } from '../../model/board/band.ts'
import { rulesText } from '../../text/rules.ts'

/**
 * The week of those whom a rule meets, as a band, with the needle; under it, as bars on a line, when the rule
 * is in force. Instants in seconds.
 */
const props = defineProps<{
  week: MetWeek | undefined
  ranges: Ranges
  from: number
  until: number
  at: number
}>()
const place = usePlace()
const WIDTH = 260
const HEIGHT = 20
const scale = (instant: number) =>
  ((Math.min(Math.max(instant, props.from), props.until) - props.from) / (props.until - props.from)) * WIDTH
const bars = computed(() =>
  props.ranges
    .map(({ from, until }) => ({ x: scale(from), width: scale(until) - scale(from) }))
    .filter(({ width }) => width > 0),
)
const days = computed(() => Array.from({ length: 8 }, (_, day) => (day / 7) * WIDTH))
const label = computed(() => {
  const week = props.week!
  let who
  if (week.met === 0) who = rulesText.unknownDevices
  else if (week.alike === week.met) who = rulesText.itsDevices
  else who = rulesText.ofItsDevices(week.alike, week.met)
  return `${who}: ${bandWords(week.segments, (at) => clockOf(at, place.zone))}`
})
</script>

<template>
  <div class="strip">
    <AccessBand
      v-if="week"
      :stretches="week.segments"
      :from="from"
      :until="until"
      :width="WIDTH"
      :height="HEIGHT"
      :label="label"
    />
    <div v-else class="none" />
    <svg :width="WIDTH" height="7" role="img" :aria-label="rulesText.activeTimes(bars.length)">
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
      <line :x1="scale(at)" :x2="scale(at)" :y1="-HEIGHT - 3" y2="7" class="needle" />
    </svg>
  </div>
</template>

<style scoped>
.strip {
  width: 260px;
}
.none {
  height: 26px;
}
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
