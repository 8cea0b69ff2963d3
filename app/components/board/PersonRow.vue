<script setup lang="ts">
import { computed } from 'vue'
import { useMoment } from '../../stores/moment.ts'
import type { PersonLine } from '../../stores/people.ts'
import { usePlace } from '../../stores/place.ts'
import { useView } from '../../stores/view.ts'
import { stateWord } from '../../text/standing.ts'
import { whenWords } from '../../text/time.ts'
import StateBand from './StateBand.vue'

/** Somebody on the board: how they stand, and one band for all of their devices, of so many pixels. */
const props = defineProps<{ line: PersonLine; width: number }>()
const [moment, place, view] = [useMoment(), usePlace(), useView()]
const until = computed(() =>
  props.line.until === null ? '' : whenWords(props.line.until, moment.at, place.zone),
)
/** The band is worked out for some days alone: beyond them nothing is drawn. */
const drawn = computed(() => {
  const { band } = props.line
  const isCovered =
    band.length > 0 && band[0]!.from <= view.axis.from && view.axis.until <= band.at(-1)!.until
  return isCovered ? band : []
})
</script>

<template>
  <StateBand
    :state="line.state"
    :words="stateWord({ state: line.state, decidedBy: null })"
    :until="until"
    :note="line.note"
    :stretches="drawn"
    :width="width"
  />
</template>
