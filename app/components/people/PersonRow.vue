<script setup lang="ts">
import { computed } from 'vue'
import { isBlocked } from '../../../core/decision/standing.ts'
import { useMoment } from '../../stores/moment.ts'
import type { PersonLine } from '../../stores/people.ts'
import { usePlace } from '../../stores/place.ts'
import { useView } from '../../stores/view.ts'
import { bandWords } from '../../model/board/band.ts'
import { boardText } from '../../text/board.ts'
import { stateWord } from '../../text/standing.ts'
import { clockOf, whenWords } from '../../text/time.ts'
import AccessBand from '../common/AccessBand.vue'

/** Somebody on the board: how they stand, and one band for all of their devices, of so many pixels. */
const props = defineProps<{ line: PersonLine; width: number }>()
const [moment, place, view] = [useMoment(), usePlace(), useView()]
const words = computed(() => bandWords(props.line.stretches, (instant) => clockOf(instant, place.zone)))
const until = computed(() =>
  props.line.until === null ? '' : boardText.until(whenWords(props.line.until, moment.at, place.zone)),
)
/** The band is worked out for some days alone: beyond them nothing is drawn. */
const isDrawn = computed(
  () =>
    props.width > 0 &&
    props.line.stretches.length > 0 &&
    props.line.stretches[0]!.from <= view.axis.from &&
    view.axis.until <= props.line.stretches.at(-1)!.until,
)
</script>

<template>
  <span class="state" :class="{ blocked: isBlocked(line.state) }"
    >{{ stateWord({ state: line.state, decidedBy: null }) }}
    <span class="until">{{ line.note || until }}</span></span
  >
  <span class="track"
    ><AccessBand
      v-if="isDrawn"
      :stretches="line.stretches"
      :from="view.axis.from"
      :until="view.axis.until"
      :width="width"
      :label="words"
  /></span>
</template>

<style scoped>
.state {
  font: 400 13.5px var(--font-sans);
  color: var(--soft);
  white-space: nowrap;
  text-align: right;
}
.state.blocked {
  color: var(--ink);
  font-weight: 600;
}
.until {
  font-weight: 400;
  color: var(--soft);
}
.track {
  min-height: 24px;
}
@media (max-width: 760px) {
  .track {
    grid-column: 1 / -1;
  }
}
</style>
