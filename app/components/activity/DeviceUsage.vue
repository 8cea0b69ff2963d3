<script setup lang="ts">
import { max } from 'd3-array'
import { computed, ref, shallowRef, watch } from 'vue'
import { instantText } from '../../../core/time/instant.ts'
import { hoursWords } from '../../../core/words/length.ts'
import type { RefusedAnswer, UsageAnswer } from '../../../protocol/answers.ts'
import { callApi, wordsOf } from '../../composables/useApi.ts'
import { useAsked } from '../../composables/useDecider.ts'
import { barsOf, type DeviceUse, type Measure } from '../../model/usage.ts'
import { useBoard } from '../../stores/board.ts'
import { useHistory } from '../../stores/history.ts'
import { usePlace } from '../../stores/place.ts'
import { activityText } from '../../text/activity.ts'
import { bytesWords } from '../../text/gateway.ts'
import { dateWords, whenWords } from '../../text/time.ts'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'
import UsageChart from './UsageChart.vue'

/** The usage of one device over a range, beside another one if that is chosen, and its most refused sites. */
const props = defineProps<{
  use: DeviceUse
  /** Every device that used something. */
  all: readonly DeviceUse[]
  measure: Measure
  by: 'hour' | 'day'
  /** The range, in seconds. */
  from: number
  until: number
  /** Changes where it is to be asked anew. */
  turn: number
}>()
const [board, history, place] = [useBoard(), useHistory(), usePlace()]
const asTable = ref(false)
const other = ref('')
const trouble = ref('')
/** The answer, and its question. */
const answer = shallowRef<{
  readonly by: 'hour' | 'day'
  readonly from: number
  readonly until: number
  readonly rows: ReadonlyMap<string, readonly UsageAnswer[]>
  readonly refused: readonly RefusedAnswer[]
} | null>(null)

/** The device and, where one is chosen, the other. */
const uses = computed(() => [props.use, ...props.all.filter(({ key }) => key === other.value)])
let asked = 0
async function ask() {
  const turn = ++asked
  const { by, from, until, use } = props
  const range = { from: instantText(from), until: instantText(until) }
  const rowsOf = async ({ key, macs }: DeviceUse) => {
    const query = new URLSearchParams({ ...range, by, macs: macs.join(',') })
    return [key, await callApi<UsageAnswer[]>('GET', `/api/usage?${query}`)] as const
  }
  try {
    const query = new URLSearchParams({ ...range, macs: use.macs.join(',') })
    const [refused, ...rows] = await Promise.all([
      callApi<RefusedAnswer[]>('GET', `/api/lookups/refused?${query}`),
      ...uses.value.map(rowsOf),
    ])
    if (turn !== asked) return
    answer.value = { by, from, until, rows: new Map(rows), refused }
    trouble.value = ''
  } catch (error) {
    if (turn === asked) trouble.value = wordsOf(error)
  }
}
watch(() => [props.use.key, props.by, props.from, props.until, props.turn, other.value], ask, {
  immediate: true,
})

const found = useAsked(() => {
  if (history.periods.length === 0 || answer.value === null) return null
  const keys = uses.value.map(({ key }) => key)
  const people = keys.flatMap((key) => board.people[board.rows.findIndex((row) => row.key === key)] ?? [])
  if (people.length < keys.length) return null
  const { from, until } = answer.value
  return { kind: 'periods' as const, periods: history.periods, people, keys, from, until }
})
const charts = computed(() => {
  const { rows, by } = answer.value ?? { rows: new Map<string, readonly UsageAnswer[]>(), by: props.by }
  return uses.value.flatMap(({ key, name }) => {
    const own = rows.get(key)
    const at = found.value?.question.keys?.indexOf(key) ?? -1
    return own
      ? [{ key, name, bars: barsOf(own, by, place.zone), segments: found.value?.answer[at]?.segments ?? [] }]
      : []
  })
})
/** Both on one scale. */
const highest = computed(
  () =>
    max(
      charts.value.flatMap(({ bars }) => bars),
      (bar) => bar[props.measure],
    ) ?? 0,
)
const refusedWords = computed(() =>
  activityText.refusedMost(
    (answer.value?.refused ?? []).map(({ name, tries }) => activityText.refusedName(name, tries)).join(', '),
  ),
)
</script>

<template>
  <div class="one">
    <p class="facts">
      <span>{{ activityText.sentAndReceived(bytesWords(use.sent), bytesWords(use.received)) }}</span>
      <SelectField
        v-model="other"
        :label="activityText.compareWith"
        :items="[
          { value: '', label: activityText.compareWith },
          ...all.filter(({ key }) => key !== use.key).map(({ key, name }) => ({ value: key, label: name })),
        ]"
      />
      <ActButton variant="ghost" @click="asTable = !asTable">{{
        asTable ? activityText.asChart : activityText.asTable
      }}</ActButton>
    </p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-for="chart in charts" :key="chart.key">
      <h3 v-if="charts.length > 1">{{ chart.name }}</h3>
      <p v-if="chart.bars.length === 0" class="soft">{{ activityText.nothingOfIt }}</p>
      <table v-else-if="asTable" class="numbers">
        <thead>
          <tr>
            <th scope="col">{{ activityText.time }}</th>
            <th scope="col">{{ activityText.used }}</th>
            <th scope="col">{{ activityText.activeTime }}</th>
            <th scope="col">{{ activityText.dropped }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="bar in chart.bars" :key="bar.from">
            <th scope="row">
              {{
                answer?.by === 'day'
                  ? dateWords(bar.from, place.zone)
                  : whenWords(bar.from, until, place.zone)
              }}
            </th>
            <td>{{ bytesWords(bar.bytes) }}</td>
            <td>{{ hoursWords(bar.minutes) }}</td>
            <td>{{ bar.dropped }}</td>
          </tr>
        </tbody>
      </table>
      <UsageChart
        v-else
        :bars="chart.bars"
        :measure="measure"
        :highest="highest"
        :from="answer!.from"
        :until="answer!.until"
        :segments="chart.segments"
        :label="activityText.chartOf(chart.name)"
      />
    </template>
    <p v-if="answer && answer.refused.length > 0" class="soft">{{ refusedWords }}</p>
  </div>
</template>

<style scoped>
.one {
  padding: 4px 0 14px;
}
.facts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
  margin-bottom: 6px;
}
table {
  min-width: min(100%, 420px);
  margin-bottom: 10px;
}
</style>
