<script setup lang="ts">
import { computed, ref } from 'vue'
import { compiledOf } from '../../../core/decision/compile.ts'
import { candidatesOf } from '../../../core/decision/candidate.ts'
import { standingsAt } from '../../../core/decision/moment.ts'
import { placeRules } from '../../../core/policy/pair.ts'
import type { Subject } from '../../../core/decision/subject.ts'
import type { Device, Policy, Rule } from '../../../core/policy/types.ts'
import { useDecided } from '../../composables/useDecider.ts'
import { startOfMinute } from '../../../core/time/duration.ts'
import { useAllowances } from '../../stores/allowances.ts'
import { useBoard } from '../../stores/board.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useWidth } from '../../composables/useWidth.ts'
import type { Side } from '../../model/board/band.ts'
import TwoBands from '../common/TwoBands.vue'
import DayTicks from '../common/DayTicks.vue'
import { networkFinder } from '../../../protocol/everybody.ts'
import { rulesText } from '../../text/rules.ts'

/**
 * The week that a rule makes for those it meets, with all other rules beside it, while it is edited; and how
 * many it has a say about at the moment. `edits` are the rules as they would be kept, the first the one that
 * is meant; `takeOut` the ids of those that would go.
 */
const props = defineProps<{ edits: readonly Rule[]; takeOut: readonly string[] }>()
const [allowances, draft, gateway, board, moment] = [
  useAllowances(),
  useDraftPolicy(),
  useGateway(),
  useBoard(),
  useMoment(),
]
/** The devices that are drawn; the others are mostly alike. */
const DRAWN = 2
/** The height of one of them, kept free while it is worked out. */
const HEIGHT = 75
const placed = computed(() =>
  props.edits.map((rule, index) => ({ ...rule, id: rule.id || `the-new-rule-${index}` })),
)
const id = computed(() => placed.value[0]!.id)
const policy = computed((): Policy => ({
  ...draft.policy,
  rules: placeRules(draft.policy.rules, placed.value, props.takeOut),
}))
/** A device in the network in which it was seen last. */
const networkFor = computed(() => networkFinder(policy.value, gateway.sightings))
const subjectFor = ({ id, adapters }: Device): Subject => ({
  device: id,
  mac: null,
  network: networkFor.value(adapters.map(({ mac }) => mac))?.id ?? null,
})
const met = computed(() => {
  const candidate = candidatesOf({
    ...policy.value,
    overrides: [],
    spent: [],
    rules: policy.value.rules.map((rule) => ({ ...rule, enabled: true, logOnly: false })),
  }).find((one) => one.id === id.value)!
  return draft.policy.devices.filter((device) => candidate.includes(subjectFor(device)))
})
const subjects = computed(() => met.value.slice(0, DRAWN).map(subjectFor))
const frame = ref<HTMLElement | null>(null)
const width = useWidth(frame)
const weekUnder = (rules: () => Policy) =>
  useDecided(() => ({
    kind: 'timelines' as const,
    policy: rules(),
    subjects: subjects.value,
    from: board.week.from,
    until: board.week.until,
  }))
const before = weekUnder(() => draft.policy)
const after = weekUnder(() => policy.value)
const minute = computed(() => startOfMinute(moment.now))
const mayBeUnder = (rules: () => Policy) =>
  useDecided(() =>
    rules().rules.some((rule) => rule.after !== null)
      ? {
          kind: 'outlook' as const,
          policy: rules(),
          subjects: subjects.value,
          known: allowances.known,
          from: minute.value,
          until: board.week.until,
        }
      : null,
  )
const [mayBefore, mayAfter] = [mayBeUnder(() => draft.policy), mayBeUnder(() => policy.value)]
const side = (words: string, line: typeof after, may: typeof mayAfter, index: number): Side => ({
  words,
  mayBe: may.value?.[index] ?? [],
  stretches: line.value?.[index]?.segments ?? [],
  from: board.week.from,
  until: board.week.until,
  needle: moment.at,
})
const sidesOf = (index: number): [Side, Side] => [
  side('now', before, mayBefore, index),
  side('then', after, mayAfter, index),
]
const speaking = computed(() => {
  const compiled = compiledOf(policy.value)
  return standingsAt(compiled, met.value.map(subjectFor), moment.at).filter(({ clauses }) =>
    placed.value.some((rule) => clauses.includes(rule.id)),
  ).length
})
</script>

<template>
  <div class="picture" role="group" :aria-label="rulesText.theWeekItMakes">
    <p class="soft">
      <template v-if="met.length === 0">{{ rulesText.noDeviceYet }}</template>
      <template v-else>{{ rulesText.appliesToDevices(met.length, moment.isNow, speaking) }}</template>
    </p>
    <div
      ref="frame"
      :style="{ minHeight: `${met.length === 0 ? 0 : 18 + HEIGHT * Math.min(DRAWN, met.length)}px` }"
    >
      <DayTicks v-if="met.length > 0 && width > 0" :from="board.week.from" :width="width" />
      <div v-for="(device, index) in width > 0 ? met.slice(0, DRAWN) : []" :key="device.id" class="one">
        <b>{{ device.name }}</b>
        <TwoBands :name="device.name" :sides="sidesOf(index)" :width="width" />
      </div>
    </div>
    <p v-if="met.length > DRAWN" class="soft">{{ rulesText.andMore(met.length - DRAWN) }}</p>
  </div>
</template>

<style scoped>
.picture {
  margin-top: 12px;
  font-size: 13px;
}
.one {
  margin-top: 6px;
}
b {
  font-weight: 500;
}
</style>
