<script setup lang="ts">
import { ref } from 'vue'
import type { DeviceChange } from '../../../core/change/hours.ts'
import type { Side } from '../../model/board/band.ts'
import { useWidth } from '../../composables/useWidth.ts'
import { DAY } from '../../../core/time/duration.ts'
import TwoBands from '../common/TwoBands.vue'
import DayTicks from '../common/DayTicks.vue'

/** The coming week of each device whose time differs, before and after, from an instant (seconds) on. */
const props = defineProps<{
  changes: readonly DeviceChange[]
  from: number
  nameOf: (device: string) => string
}>()
const frame = ref<HTMLElement | null>(null)
const width = useWidth(frame)
const sidesOf = ({ before, after }: DeviceChange): [Side, Side] => [
  { words: 'now', stretches: before, from: props.from, until: props.from + 7 * DAY },
  { words: 'then', stretches: after, from: props.from, until: props.from + 7 * DAY },
]
</script>

<template>
  <div ref="frame">
    <template v-if="width > 0">
      <DayTicks :from="from" :width="width" />
      <template v-for="change in changes" :key="change.device">
        <h3>{{ nameOf(change.device) }}</h3>
        <TwoBands
          :name="nameOf(change.device)"
          :sides="sidesOf(change)"
          :width="width"
          :differs="change.differs"
        />
      </template>
    </template>
  </div>
</template>

<style scoped>
h3 {
  font-weight: 500;
  margin-top: 12px;
}
</style>
