<script setup lang="ts">
import type { OwnSession } from '../../../protocol/people.ts'
import { callApi } from '../../composables/useApi.ts'
import { useListed } from '../../composables/useListed.ts'
import { usePlace } from '../../stores/place.ts'
import { browserWords, peopleText } from '../../text/settings/people.ts'
import { instantWords } from '../../text/time.ts'
import ActButton from '../common/ActButton.vue'

/** The sessions of the account; each can be ended by itself. */
const { answer: sessions, busy, trouble, act } = useListed<readonly OwnSession[]>('/api/sessions')
const place = usePlace()
const when = (instant: string) => instantWords(instant, place.zone)
const whereOf = ({ browser, address }: OwnSession) => `${browserWords(browser)} at ${address}`
const end = (id: string) => act(() => callApi('DELETE', `/api/sessions/${id}`))
</script>

<template>
  <h2>{{ peopleText.sessions }}</h2>
  <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  <ul class="lines">
    <li v-for="session in sessions" :key="session.id">
      <span :title="session.browser">{{ whereOf(session) }}</span>
      <span class="soft">{{ peopleText.sessionFacts(when(session.begunAt), when(session.seenAt)) }}</span>
      <b v-if="session.isThis">{{ peopleText.thisOne }}</b>
      <ActButton
        v-else
        :loading="busy"
        :aria-label="peopleText.endOne(whereOf(session))"
        @click="end(session.id)"
        >{{ peopleText.end }}</ActButton
      >
    </li>
  </ul>
</template>

<style scoped>
h2 {
  margin-top: 22px;
}
li > :last-child {
  margin-left: auto;
}
</style>
