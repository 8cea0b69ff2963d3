<script setup lang="ts">
import { computed } from 'vue'
import { useBoard } from '../../stores/board.ts'
import { useMoment } from '../../stores/moment.ts'
import { useView } from '../../stores/view.ts'
import { marksOf } from '../../model/board/marks.ts'
import { boardText } from '../../text/board.ts'

/** The time over the bands, with the grid and the needle that run down through all rows. */
const props = defineProps<{ width: number }>()
const [view, moment, board] = [useView(), useMoment(), useBoard()]
const scale = (instant: number) =>
  ((instant - view.axis.from) / (view.axis.until - view.axis.from)) * props.width
const ticks = computed(() => view.axis.ticks.map((tick) => ({ ...tick, x: scale(tick.at) })))
const marks = computed(() =>
  marksOf(board.policy, view.axis.from, view.axis.until).map((mark) => ({ ...mark, x: scale(mark.at) })),
)
const needle = computed(() => scale(moment.at))
</script>

<template>
  <ul v-if="marks.length > 0" class="marks" :aria-label="boardText.whatIsUnusual">
    <li
      v-for="mark in marks"
      :key="`${mark.at} ${mark.words}`"
      :style="{ left: `${mark.x}px` }"
      :title="mark.words"
    >
      <span class="sr-only">{{ mark.words }}</span>
    </li>
  </ul>
  <div class="axis" aria-hidden="true">
    <template v-for="tick in ticks" :key="tick.at">
      <span :style="{ left: `${tick.x}px` }">{{ tick.label }}</span>
      <i :style="{ left: `${tick.x}px` }" />
    </template>
    <b v-if="needle >= 0 && needle <= width" :style="{ left: `${needle}px` }" />
  </div>
</template>

<style scoped>
@media (max-width: 760px) {
  .axis b {
    bottom: auto;
    height: 8px;
  }
}
.marks {
  position: absolute;
  inset: 12px 0 auto;
  height: 0;
}
.marks li {
  position: absolute;
  width: 9px;
  height: 9px;
  margin-left: -4.5px;
  transform: rotate(45deg);
  background: var(--warn);
  pointer-events: auto;
  z-index: 1;
}
.axis {
  position: relative;
  height: 100%;
}
span {
  position: absolute;
  transform: translateX(-50%);
  font-size: 13px;
  color: var(--soft);
}
i,
b {
  position: absolute;
  top: 18px;
  bottom: 0;
}
i {
  border-left: 1px solid var(--hair);
}
i:nth-last-of-type(1) {
  margin-left: -1px;
}
b {
  top: 14px;
  width: 2px;
  margin-left: -1px;
  background: var(--needle);
  z-index: 2;
}
b::before {
  content: '';
  position: absolute;
  left: -4px;
  top: -8px;
  width: 10px;
  height: 10px;
  background: var(--needle);
  clip-path: polygon(0 0, 100% 0, 100% 55%, 50% 100%, 0 55%);
}
</style>
