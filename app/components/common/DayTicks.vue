<script setup lang="ts">
import { computed } from 'vue'
import { dayAt, startOfDay } from '../../../core/time/instant.ts'
import { DAY } from '../../../core/time/duration.ts'
import { usePlace } from '../../stores/place.ts'
import { BESIDE } from '../../model/board/band.ts'
import { dateWords } from '../../text/time.ts'

/** The days of the coming week over the bands of the review; one that ends beyond the edge is left out. */
const LABEL_WIDTH = 48
const props = defineProps<{ from: number; width: number }>()
const place = usePlace()
const days = computed(() =>
  Array.from({ length: 7 }, (_, index) => startOfDay(dayAt(props.from, place.zone) + 1 + index, place.zone))
    .filter((at) => at < props.from + 7 * DAY)
    .map((at) => ({
      at,
      left: BESIDE + ((at - props.from) / (7 * DAY)) * (props.width - BESIDE),
      words: dateWords(at, place.zone)
        .split(' ')
        .slice(0, props.width > 560 ? 2 : 1)
        .join(' '),
    }))
    .filter(({ left }) => left + LABEL_WIDTH <= props.width),
)
</script>

<template>
  <div class="days" aria-hidden="true">
    <span v-for="day in days" :key="day.at" :style="{ left: `${day.left}px` }">{{ day.words }}</span>
  </div>
</template>

<style scoped>
.days {
  position: relative;
  height: 18px;
  font-size: 13px;
  color: var(--soft);
}
span {
  position: absolute;
  border-left: 1px solid var(--ink);
  padding-left: 4px;
  white-space: nowrap;
}
</style>
