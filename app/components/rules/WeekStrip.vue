<script setup lang="ts">
import { computed } from 'vue'
import type { MetWeek } from '../../../core/decision/met.ts'
import type { Ranges } from '../../../core/time/ranges.ts'
import { usePlace } from '../../stores/place.ts'
import { clockOf } from '../../text/time.ts'
import AccessBand from '../common/AccessBand.vue'
import RangeBars from '../common/RangeBars.vue'
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
/** The number of times in the week that is shown. */
const count = computed(
  () => props.ranges.filter(({ from, until }) => from < props.until && until > props.from).length,
)
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
    <RangeBars
      :ranges="ranges"
      :from="from"
      :until="until"
      :at="at"
      :width="WIDTH"
      :above="HEIGHT + 3"
      :label="rulesText.activeTimes(count)"
    />
  </div>
</template>

<style scoped>
.strip {
  width: 260px;
}
.none {
  height: 26px;
}
</style>
