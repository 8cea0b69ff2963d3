<script setup lang="ts">
import { computed } from 'vue'
import { edgesAtChanges } from '../../../core/time/clock-change.ts'
import { instantText, localText } from '../../../core/time/instant.ts'
import { DAY, startOfMinute } from '../../../core/time/duration.ts'
import { clip, secondsIn } from '../../../core/time/ranges.ts'
import { hoursOf, hoursWithin } from '../../../core/time/schedule.ts'
import { clockText } from '../../../core/time/week.ts'
import type { Exception } from '../../../core/policy/types.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { clockOf, dateWords } from '../../text/time.ts'
import { clockWords } from '../../../core/words/clock.ts'
import { schedulesText } from '../../text/schedules.ts'

/**
 * The hours on the calendar: the next windows as dates, how they lie over other schedules, and where a
 * clock change meets an edge.
 */
const props = defineProps<{ id: string; week: string; exceptions: readonly Exception[] }>()
const [draft, place, moment] = [useDraftPolicy(), usePlace(), useMoment()]
const minute = computed(() => startOfMinute(moment.at))
const hours = computed(() => hoursOf(props))
const next = computed(() =>
  hoursWithin(hours.value, place.zone, minute.value, minute.value + 15 * DAY)
    .slice(0, 3)
    .map(({ from, until }) =>
      schedulesText.rangeOnDate(
        dateWords(from, place.zone),
        clockOf(from, place.zone),
        clockOf(until, place.zone),
      ),
    ),
)
const overlaps = computed(() => {
  const until = minute.value + 7 * DAY
  const own = hoursWithin(hours.value, place.zone, minute.value, until)
  return draft.policy.schedules
    .filter(({ id }) => id !== props.id)
    .flatMap((other) => {
      const theirs = hoursWithin(hoursOf(other), place.zone, minute.value, until)
      const seconds = own.reduce((sum, range) => sum + secondsIn(clip(theirs, range.from, range.until)), 0)
      return seconds > 0 ? [schedulesText.hoursWith(Math.round(seconds / 360) / 10, other.name)] : []
    })
})
const warnings = computed(() =>
  edgesAtChanges(hours.value, place.zone, minute.value, minute.value + 400 * DAY).map(({ change, edge }) => {
    const span = [change.from, change.until]
      .map((reading) => clockWords(instantText(reading).slice(11, 16)))
      .join(' to ')
    const date = localText(change.at, place.zone).slice(0, 10)
    return change.kind === 'skipped'
      ? schedulesText.clockSkips(date, span, clockWords(clockText(edge)))
      : schedulesText.clockRepeats(date, span, clockWords(clockText(edge)))
  }),
)
</script>

<template>
  <div class="facts">
    <p>
      <span class="soft">{{ schedulesText.next }}</span>
      {{ next.length > 0 ? next.join('; ') : schedulesText.nothingSoon }}
    </p>
    <p v-if="overlaps.length > 0">
      <span class="soft">{{ schedulesText.overlaps }}</span> {{ overlaps.join(', ') }}
    </p>
    <p v-for="warning in warnings" :key="warning" class="warning">{{ warning }}</p>
  </div>
</template>

<style scoped>
.facts {
  margin-top: 10px;
  font-size: 13px;
  display: flex;
  flex-direction: column;
  gap: 3px;
}
.warning {
  color: var(--warn);
}
</style>
