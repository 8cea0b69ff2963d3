<script setup lang="ts">
import { computed } from 'vue'
import type { Ranges } from '../../../core/time/ranges.ts'
import { usePlace } from '../../stores/place.ts'
import { clockOf, dateWords } from '../../text/time.ts'
import AccessBand from './AccessBand.vue'
import { BESIDE, bandWords, differences, type Side } from '../../model/board/band.ts'

/**
 * Access over time under two aspects, one above the other; what differs is shaded where both are of the same
 * time.
 */
const props = defineProps<{
  name: string
  sides: readonly [Side, Side]
  width: number
  /** The times at which they differ, where the bands alone do not tell. */
  differs?: Ranges
}>()
const place = usePlace()
const track = computed(() => props.width - BESIDE)
const scale = ({ from, until }: Side, instant: number) =>
  BESIDE + ((instant - from) / (until - from)) * track.value
const shades = computed(() => {
  const [one, other] = props.sides
  if (one.from !== other.from || one.until !== other.until) return []
  return (props.differs ?? differences(one.stretches, other.stretches)).map(({ from, until }) => ({
    left: scale(one, from),
    width: Math.max(2, scale(one, until) - scale(one, from)),
  }))
})
const clock = (instant: number) => `${dateWords(instant, place.zone)} ${clockOf(instant, place.zone)}`
</script>

<template>
  <div class="both">
    <i
      v-for="(shade, index) in shades"
      :key="index"
      :style="{ left: `${shade.left}px`, width: `${shade.width}px` }"
    />
    <div v-for="side in sides" :key="side.words" class="line">
      <span>{{ side.words }}</span>
      <AccessBand
        :stretches="side.stretches"
        :may-be="side.mayBe ?? []"
        :from="side.from"
        :until="side.until"
        :width="track"
        :height="15"
        :label="`${name}, ${side.words}: ${bandWords(side.stretches, clock)}`"
      />
      <b v-if="side.needle !== undefined" :style="{ left: `${scale(side, side.needle)}px` }" />
    </div>
  </div>
</template>

<style scoped>
.both {
  position: relative;
}
i {
  position: absolute;
  top: 2px;
  bottom: -3px;
  background: var(--warn);
  opacity: 0.25;
}
.line {
  position: relative;
  display: flex;
  align-items: end;
  height: 25px;
  font-size: 13px;
  color: var(--soft);
}
.line > span {
  width: 104px;
  flex: none;
  padding-right: 8px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
b {
  position: absolute;
  top: 3px;
  bottom: -1px;
  width: 2px;
  margin-left: -1px;
  background: var(--needle);
}
</style>
