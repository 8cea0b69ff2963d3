<script setup lang="ts">
import { computed } from 'vue'
import type { Subject } from '../../../core/decision/subject.ts'
import { traceAt, type TraceStep } from '../../../core/decision/trace.ts'
import { useBoard } from '../../stores/board.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { whatWords } from '../../../core/words/rule.ts'
import { whenWords } from '../../text/time.ts'
import { addressOf } from '../../composables/useOpened.ts'
import OpenLink from '../common/OpenLink.vue'
import { allowancesText } from '../../text/allowances.ts'
import { boardText } from '../../text/board.ts'

/** Every rule and override that includes the device, in order, with its part at the moment. */
const props = defineProps<{ subject: Subject }>()
const [place, board, moment] = [usePlace(), useBoard(), useMoment()]
const policy = computed(() => board.policy)
const steps = computed(() =>
  traceAt(board.compiled!, props.subject, moment.at).map((step) => {
    const position = policy.value.rules.findIndex(({ id }) => id === step.id)
    const override = policy.value.overrides.find(({ id }) => id === step.id)
    return {
      ...step,
      number: position < 0 ? '' : position + 1,
      name: policy.value.rules[position]?.name ?? (override?.note || boardText.override),
      words: partWords(step),
    }
  }),
)

function partWords(step: TraceStep): string {
  if (step.part === 'decides') return ''
  const rule = policy.value.rules.find(({ id }) => id === step.id)
  if (step.part === 'rests' && step.next !== null)
    return boardText.from(whenWords(step.next, moment.at, place.zone))
  if (step.part === 'rests') return rule?.after ? allowancesText.onceUsedUp : boardText.notInTheComingWeek
  const covered = (rule ?? policy.value.overrides.find(({ id }) => id === step.id))?.what
  const what = covered ? whatWords(covered, policy.value) : boardText.theInternet
  if (step.part === 'behind') return boardText.wouldBlockNext(step.effect === 'block', what)
  return boardText.traceDoes(step.effect === 'block', what)
}
</script>

<template>
  <ol v-if="steps.length > 0" class="trace" :aria-label="boardText.rulesForIt">
    <li v-for="step in steps" :key="step.id" :class="[step.part]">
      <span class="number">{{ step.number }}</span>
      <span
        ><OpenLink v-if="step.number" :to="addressOf('/rules', step.id)" class="rule">{{
          step.name
        }}</OpenLink
        ><template v-else>{{ step.name }}</template
        ><template v-if="step.words"> · {{ step.words }}</template></span
      >
      <em v-if="step.part === 'decides'">{{ boardText.decides }}</em>
    </li>
  </ol>
  <p v-else class="soft">{{ boardText.noRule }}</p>
</template>

<style scoped>
.trace {
  margin: 0 0 14px;
  border-bottom: 1px solid var(--hair);
}
li {
  display: flex;
  gap: 8px;
  padding: 6px 0;
  border-top: 1px solid var(--hair);
  font-size: 13px;
  color: var(--soft);
}
.rule:hover {
  text-decoration: underline;
  text-decoration-color: var(--ink);
  text-underline-offset: 3px;
}
li.counts {
  color: var(--ink);
}
li.decides {
  color: var(--ink);
  font-weight: 600;
}
.number {
  width: 16px;
  flex: none;
}
em {
  margin-left: auto;
  align-self: center;
  font-style: normal;
  background: var(--ink);
  color: var(--paper);
  border-radius: 99px;
  padding: 0 9px;
  font-weight: 500;
}
</style>
