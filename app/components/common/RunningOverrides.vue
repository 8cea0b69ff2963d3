<script setup lang="ts">
import { computed } from 'vue'
import type { Override } from '../../../core/policy/types.ts'
import { readInstant } from '../../../core/time/instant.ts'
import { subjectWords } from '../../../core/words/override.ts'
import { amountWords, whatWords } from '../../../core/words/rule.ts'
import { useOverride } from '../../composables/useOverride.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useLive } from '../../stores/live.ts'
import { useMe } from '../../stores/me.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { whenWords } from '../../text/time.ts'
import { cardsText } from '../../text/people-cards.ts'
import ActButton from './ActButton.vue'

/** The overrides that run, and those that are planned, each with what ends it; of these, those asked for. */
const { only = () => true } = defineProps<{ only?: (one: Override) => boolean }>()
const [live, gateway, me, moment, place] = [useLive(), useGateway(), useMe(), useMoment(), usePlace()]
const { busy, lift } = useOverride()
const mayEnd = computed(() => me.mayDo('help'))

const rows = computed(() =>
  live.answer.policy.overrides
    .filter(only)
    .map((one) => ({
      one,
      from: readInstant(one.from)!,
      until: one.until === null ? null : readInstant(one.until)!,
    }))
    .filter(({ until }) => until === null || until > moment.now)
    .sort((a, b) => a.from - b.from)
    .map(({ one, from, until }) => {
      const when = (instant: number) => whenWords(instant, moment.now, place.zone)
      const isLater = from > moment.now
      const ends = until === null ? cardsText.untilEnded : cardsText.untilWhen(when(until))
      const effect = cardsText[one.effect === 'allow' ? 'allowed' : 'blocked']
      const part = one.what && whatWords(one.what, live.answer.policy)
      let does = part === null ? effect : cardsText.part(part, effect)
      if (one.more) does = cardsText.moreOf(amountWords(one.more))
      return {
        one,
        isLater,
        name: subjectWords(one.who, live.answer.policy, gateway.nameOfMac),
        words: isLater ? cardsText.later(does, when(from), ends) : cardsText.now(does, ends),
      }
    }),
)
</script>

<template>
  <section v-if="rows.length > 0" class="running" :aria-label="cardsText.running">
    <ul>
      <li v-for="{ one, name, words, isLater } in rows" :key="one.id">
        <span class="what"
          ><b>{{ name }}</b> <span class="soft">{{ words }}</span>
          <q v-if="one.note" class="soft">{{ one.note }}</q></span
        >
        <ActButton
          v-if="mayEnd"
          :disabled="busy"
          :aria-label="isLater ? cardsText.dropOf(name) : cardsText.endOf(name)"
          @click="lift(one)"
          >{{ isLater ? cardsText.drop : cardsText.end }}</ActButton
        >
      </li>
    </ul>
  </section>
</template>

<style scoped>
.running {
  margin: 4px 0 12px;
}
li {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 6px 14px;
  padding: 4px 0;
  border-top: 1px solid var(--hair);
}
li:first-child {
  border: 0;
}
.what {
  min-width: 0;
  overflow-wrap: anywhere;
}
q {
  margin-left: 6px;
}
</style>
