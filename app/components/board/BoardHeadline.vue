<script setup lang="ts">
import { computed, ref } from 'vue'
import { isBlocked } from '../../../core/decision/standing.ts'
import { useBoard } from '../../stores/board.ts'
import { useMoment } from '../../stores/moment.ts'
import { useLive } from '../../stores/live.ts'
import { useMe } from '../../stores/me.ts'
import { usePlace } from '../../stores/place.ts'
import { blockedWords, turnWords } from '../../text/standing.ts'
import { clockOf, dateWords, weekdayWords } from '../../text/time.ts'
import ActButton from '../common/ActButton.vue'
import FirstSteps from './FirstSteps.vue'
import NextChanges from './NextChanges.vue'
import { boardText } from '../../text/board.ts'

const open = ref(false)
const [live, place, board, moment, me] = [useLive(), usePlace(), useBoard(), useMoment(), useMe()]
const when = computed(() => {
  if (moment.isNow) return boardText.rightNow
  const days = board.day - board.today
  let day
  if (days === 0) day = boardText.today
  else if (days === 1) day = boardText.tomorrow
  else if (days === -1) day = boardText.yesterday
  else if (Math.abs(days) < 7) day = boardText.on(weekdayWords(moment.at, place.zone))
  else day = boardText.on(dateWords(moment.at, place.zone))
  return boardText.dayAt(day, clockOf(moment.at, place.zone))
})
const blocked = computed(() => board.moments.filter(({ state }) => isBlocked(state)).length)
const coming = computed(() => board.course?.turns.filter(({ at }) => at > moment.at) ?? null)
const next = computed(() => {
  if (!coming.value) return ''
  if (coming.value[0]) return turnWords(coming.value[0], moment.at, place.zone)
  return boardText.nothingChanges
})
</script>

<template>
  <h1>
    {{ when }}, <b>{{ blockedWords(blocked) }}</b>.
  </h1>
  <template v-if="live.answer.revision">
    <p class="soft next">
      {{ next }}
      <ActButton v-if="coming && coming.length > 1" size="xs" :aria-expanded="open" @click="open = !open">{{
        open ? boardText.showLess : boardText.moreChanges
      }}</ActButton>
    </p>
    <NextChanges v-if="open && coming" :turns="coming" />
  </template>
  <FirstSteps v-else-if="me.mayDo('edit')" />
</template>

<style scoped>
.next {
  margin: 3px 0 12px;
  min-height: 28px;
}
@media (max-width: 760px) {
  .next {
    min-height: 66px;
  }
}
</style>
