<script setup lang="ts">
import { ref } from 'vue'
import type { DeviceChange } from '../../../core/change/hours.ts'
import { useWidth } from '../../composables/useWidth.ts'
import DayTicks from './DayTicks.vue'
import WeekChange from './WeekChange.vue'

/** The coming week of each device whose time differs, before and after, from an instant (seconds) on. */
defineProps<{ changes: readonly DeviceChange[], from: number, nameOf: (device: string) => string }>()
const frame = ref<HTMLElement | null>(null)
const width = useWidth(frame)
</script>

<template>
  <div ref="frame">
    <template v-if="width > 0">
      <DayTicks :from="from" :width="width" />
      <WeekChange v-for="change in changes" :key="change.device" :change="change" :name="nameOf(change.device)" :from="from" :width="width" />
    </template>
  </div>
</template>
