<script setup lang="ts">
import { computed } from 'vue'
import { compiledOf } from '../../../core/decision/compile.ts'
import { subjectOf } from '../../../core/decision/periods.ts'
import { verdictSpansOf, type VerdictSpan } from '../../../core/decision/spans.ts'
import type { Destination } from '../../../core/destination/destination.ts'
import { DAY, startOfMinute } from '../../../core/time/duration.ts'
import { saveFile } from '../../composables/saveFile.ts'
import { useLoaded } from '../../composables/wholePolicy.ts'
import { useBoard } from '../../stores/board.ts'
import { useHistory } from '../../stores/history.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { sitesText } from '../../text/sites.ts'
import { clockOf, dateWords, whenWords } from '../../text/time.ts'
import ActButton from '../common/ActButton.vue'

/** Who can reach a destination at the moment shown, by what, and until when: those first who can not. */
const props = defineProps<{ destination: Destination; said: string }>()
const [board, history, moment, place] = [useBoard(), useHistory(), useMoment(), usePlace()]
/** How far ahead an end is looked for. */
const AHEAD_SECONDS = 7 * DAY
const minute = computed(() => startOfMinute(moment.at))
const { loaded: policy, failed } = useLoaded(
  () => (history.periods.length > 0 ? history.periodAt(minute.value) : null),
  () => history.wholeAt(minute.value),
)
function byWords({ decidedBy }: VerdictSpan): string {
  if (decidedBy === null) return ''
  if (decidedBy.kind === 'shielded') return sitesText.neverBlocked
  const { rules, overrides } = policy.value!
  const rule = rules.find(({ id }) => id === decidedBy.id)
  return rule?.name ?? (overrides.find(({ id }) => id === decidedBy.id)?.note || sitesText.override)
}
const rows = computed(() => {
  if (!policy.value) return null
  const compiled = compiledOf(policy.value)
  const end = minute.value + AHEAD_SECONDS
  const subjects = board.people.map((person) => subjectOf(compiled, person))
  const spans = verdictSpansOf(compiled, subjects, props.destination, minute.value, end)
  return board.rows
    .map(({ key, name, section }, index) => {
      const [first, ...later] = spans[index]!
      const turn = later.find(({ effect }) => effect !== first!.effect)
      return {
        key,
        name,
        group: section,
        reaches: first!.effect === 'allow',
        by: byWords(first!),
        until: turn?.from ?? null,
      }
    })
    .sort((a, b) => Number(a.reaches) - Number(b.reaches))
})
const reaching = computed(() => rows.value!.filter(({ reaches }) => reaches).length)
async function save() {
  const { reachTable } = await import('../../../core/export/answer.ts')
  const time = { at: minute.value, zone: place.zone }
  saveFile('reach.csv', 'text/csv', reachTable(rows.value!, props.said, time))
}
</script>

<template>
  <p v-if="failed" class="trouble" role="alert">{{ failed }}</p>
  <p v-else-if="!rows" class="soft">{{ sitesText.loadingSites }}</p>
  <div v-else class="reach">
    <p class="say">
      <b>{{
        sitesText.whoReaches(
          reaching,
          rows.length,
          moment.isNow ? null : `${dateWords(moment.at, place.zone)}, ${clockOf(moment.at, place.zone)}`,
        )
      }}</b>
      {{ ' ' }}
      <ActButton size="xs" @click="save">{{ sitesText.exportCsv }}</ActButton>
    </p>
    <div class="list" tabindex="0" role="region" :aria-label="sitesText.whoCanReach">
      <table>
        <thead>
          <tr>
            <th scope="col">{{ sitesText.deviceColumn }}</th>
            <th scope="col">{{ sitesText.group }}</th>
            <th scope="col">{{ sitesText.canReachIt }}</th>
            <th scope="col">{{ sitesText.byWhat }}</th>
            <th scope="col">{{ sitesText.untilWhen }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.key" :class="{ blocked: !row.reaches }">
            <th scope="row">{{ row.name }}</th>
            <td>{{ row.group }}</td>
            <td class="state">{{ row.reaches ? sitesText.yes : sitesText.no }}</td>
            <td>{{ row.by }}</td>
            <td>{{ row.until === null ? '' : whenWords(row.until, moment.at, place.zone) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
.reach {
  margin-top: 12px;
  max-width: 820px;
}
.list {
  max-height: 420px;
  overflow: auto;
  margin-top: 6px;
}
table {
  width: 100%;
  font-size: 13px;
}
th,
td {
  text-align: left;
  padding: 4px 12px 4px 0;
  border-top: 1px solid var(--hair);
  font-weight: 400;
}
thead th {
  position: sticky;
  top: 0;
  background: var(--paper);
  color: var(--soft);
}
.blocked :is(th, .state) {
  font-weight: 600;
}
</style>
