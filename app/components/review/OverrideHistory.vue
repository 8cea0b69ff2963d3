<script setup lang="ts">
import { ref, shallowRef, watch } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import type { OverrideActAnswer } from '../../../protocol/answers.ts'
import { callApi, wordsOf } from '../../composables/useApi.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useMoment } from '../../stores/moment.ts'
import { useLive } from '../../stores/live.ts'
import { usePlace } from '../../stores/place.ts'
import { subjectWords } from '../../../core/words/override.ts'
import { amountWords, whatWords } from '../../../core/words/rule.ts'
import { clockOf, dayWords, whenWords } from '../../text/time.ts'
import { historyText } from '../../text/history.ts'
import ActButton from '../common/ActButton.vue'

/** The acts on overrides, with author and time, the latest first. */
const [gateway, live, place, moment] = [useGateway(), useLive(), usePlace(), useMoment()]
const acts = shallowRef<readonly OverrideActAnswer[] | null>(null)
const failed = ref('')
/** The acts before *Show more*. */
const FIRST = 12
const shown = ref(FIRST)

watch(
  () => live.answered?.digest,
  async () => {
    try {
      acts.value = await callApi('GET', '/api/overrides')
      failed.value = ''
    } catch (error) {
      failed.value = wordsOf(error)
    }
  },
  { immediate: true },
)
const when = (text: string) =>
  `${dayWords(readInstant(text)!, moment.now, place.zone)}, ${clockOf(readInstant(text)!, place.zone)}`
function words({ act, effect, who, what, more, until, at }: OverrideActAnswer) {
  const { policy } = live.answer
  const subject = subjectWords(who, policy, gateway.nameOfMac)
  const whom = what === null ? subject : historyText.partFor(whatWords(what, policy), subject)
  if (more !== null)
    return act === 'made'
      ? historyText.moreAdded(whom, amountWords(more))
      : historyText.moreTakenBack(whom, amountWords(more))
  const end =
    until === null
      ? historyText.noEndSet
      : historyText.until(whenWords(readInstant(until)!, readInstant(at)!, place.zone))
  if (act === 'lifted') return historyText.overrideEnded(whom, effect === 'allow')
  return act === 'made'
    ? historyText.overrideMade(whom, effect === 'allow', end)
    : historyText.allowedInstead(whom, effect === 'allow', end)
}
</script>

<template>
  <section :aria-label="historyText.pastOverrides">
    <h2>{{ historyText.pastOverrides }}</h2>
    <p v-if="failed" class="trouble" role="alert">{{ failed }}</p>
    <p v-else-if="acts === null" class="soft" role="status">{{ historyText.loadingOverrides }}</p>
    <p v-else-if="acts.length === 0" class="soft">{{ historyText.noOverridesYet }}</p>
    <ol v-else>
      <li v-for="(one, index) in acts.slice(0, shown)" :key="index">
        <span class="soft">{{ when(one.at) }}</span><span
          >{{ words(one) }}<span v-if="one.note" class="soft">, “{{ one.note }}”</span></span
        ><span class="soft">{{ historyText.by(one.author) }}</span>
      </li>
    </ol>
    <ActButton v-if="acts && acts.length > shown" @click="shown += 100">{{ historyText.showMore }}</ActButton>
  </section>
</template>

<style scoped>
section {
  margin-top: 26px;
}
ol {
  border-top: 1px solid var(--hair);
  margin-top: 8px;
}
li {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr) auto;
  gap: 2px 16px;
  padding: 5px 8px;
  border-bottom: 1px solid var(--hair);
}
@media (max-width: 760px) {
  li {
    grid-template-columns: minmax(0, 1fr) auto;
  }
  li > :nth-child(2) {
    grid-column: 1 / -1;
    grid-row: 1;
  }
}
</style>
