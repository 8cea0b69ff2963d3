<script setup lang="ts">
import { computed } from 'vue'
import type { StateRange } from '../../../core/picture/band.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { stateWord } from '../../text/standing.ts'
import { whenWords } from '../../text/time.ts'
import type { Line } from '../../model/board/board-lines.ts'
import { boardText } from '../../text/board.ts'
import StateBand from './StateBand.vue'

/**
 * One device: its name, how it stands, until when, and its band of so many pixels. It says of itself which
 * line it is, so that nothing is handed in that changes while the line does not.
 */
const props = defineProps<{ line: Line; stretches: readonly StateRange[]; width: number; chosen: boolean }>()
defineEmits<{
  choose: [line: Line]
  point: [line: Line, event: MouseEvent]
  walk: [line: Line, by: number]
}>()
const [place, moment] = [usePlace(), useMoment()]
/** The weekday in three letters: the column is narrow. */
const until = computed(() =>
  props.line.moment.until === null
    ? ''
    : whenWords(props.line.moment.until, moment.at, place.zone)
        .replace(/^([A-Z][a-z]{2})[a-z]+day /, '$1 ')
        .replace(/^(Sun|Mon|Fri)day /, '$1 '),
)
</script>

<template>
  <button
    type="button"
    class="row"
    :class="{ chosen }"
    :aria-expanded="chosen"
    :data-device="line.row.key"
    @click="$emit('choose', line)"
    @mousemove="$emit('point', line, $event)"
    @keydown.left.prevent="$emit('walk', line, -1)"
    @keydown.right.prevent="$emit('walk', line, 1)"
  >
    <span class="name" :title="line.row.name"
      >{{ line.row.name }} <small v-if="line.row.notLive">{{ boardText.draftOnly }}</small></span
    >
    <StateBand
      :state="line.moment.state"
      :words="stateWord(line.moment)"
      :until="until"
      :note="line.note"
      :stretches="stretches"
      :width="width"
      :brackets="line.brackets"
      :may-be="line.mayBe"
    />
  </button>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 140px 188px minmax(0, 1fr);
  gap: 10px;
  align-items: end;
  width: calc(100% + 16px);
  margin: 0 -8px;
  padding: 2px 8px 4px;
  text-align: left;
  cursor: pointer;
  border-radius: 2px;
  content-visibility: auto;
  contain-intrinsic-height: 31px;
}
.row:hover,
.row.chosen {
  background: var(--leaf);
}
.name {
  font-weight: 550;
  font-size: 14.5px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
small {
  color: var(--warn);
  font-weight: 400;
}
@media (max-width: 760px) {
  .row {
    grid-template-columns: minmax(0, 1fr) auto;
    row-gap: 2px;
    min-height: 44px;
    contain-intrinsic-height: 53px;
  }
}
</style>
