<script setup lang="ts">
import { computed } from 'vue'
import { isBlocked, type State } from '../../../core/decision/standing.ts'
import type { StateRange } from '../../../core/picture/band.ts'
import type { Ranges } from '../../../core/time/ranges.ts'
import { bandWords } from '../../model/board/band.ts'
import { usePlace } from '../../stores/place.ts'
import { useView } from '../../stores/view.ts'
import { boardText } from '../../text/board.ts'
import { clockOf } from '../../text/time.ts'
import AccessBand from '../common/AccessBand.vue'

/**
 * Two cells of a row of the board: how a device or a person stands and until when, and their band of so many
 * pixels. Without stretches the band is still being worked out.
 */
const props = defineProps<{
  state: State
  /** The state in words, and its end; empty = none in sight. */
  words: string
  until: string
  /** What is left of an allowance, in words: it stands in place of the end. */
  note: string
  stretches: readonly StateRange[]
  width: number
  /** The overrides that are marked above the band. */
  brackets?: readonly { from: number; until: number }[]
  /** The times at which it may be blocked. */
  mayBe?: Ranges
}>()
const [place, view] = [usePlace(), useView()]
const label = computed(() => bandWords(props.stretches, (instant) => clockOf(instant, place.zone)))
</script>

<template>
  <span class="state" :class="{ blocked: isBlocked(state) }"
    >{{ words }} <span class="until">{{ note || (until && boardText.until(until)) }}</span></span
  >
  <span class="track"
    ><AccessBand
      v-if="width > 0 && stretches.length > 0"
      :stretches="stretches"
      :from="view.axis.from"
      :until="view.axis.until"
      :width="width"
      :brackets="brackets"
      :may-be="mayBe"
      :label="label"
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
/* Where the band will be, before its hours are worked out. */
.track {
  min-height: 24px;
}
@media (max-width: 760px) {
  /* The words stand above the band here: the needle goes through the bands alone. */
  .track {
    grid-column: 1 / -1;
    position: relative;
  }
  .track::after {
    content: '';
    position: absolute;
    inset: 0 auto -4px var(--needle-at);
    width: 2px;
    margin-left: -1px;
    background: var(--needle);
  }
}
</style>
