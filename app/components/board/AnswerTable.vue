<script setup lang="ts">
import { computed, ref } from 'vue'
import { isBlocked } from '../../../core/decision/standing.ts'
import type { Segment } from '../../../core/decision/timeline.ts'
import { saveFile } from '../../composables/saveFile.ts'
import { useBoard } from '../../stores/board.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { stateWord } from '../../text/standing.ts'
import { clockOf, dateWords, whenWords } from '../../text/time.ts'
import type { Line } from '../../model/board/board-lines.ts'
import { boardText } from '../../text/board.ts'
import ActButton from '../common/ActButton.vue'
import MarkedText from '../common/MarkedText.vue'

/** The answer as a table: who, how, by what, since and until when; to sort, copy, print and take away. */
const props = defineProps<{
  lines: readonly Line[]
  segments: ReadonlyMap<string | undefined, readonly Segment[]>
}>()
const [place, board, moment] = [usePlace(), useBoard(), useMoment()]
const toast = useToast()
const COLUMNS = ['device', 'group', 'network', 'state', 'by', 'since', 'until', 'allowance'] as const
const columns = computed(() =>
  COLUMNS.filter(
    (column) =>
      (column !== 'network' || board.policy.networks.length > 0) &&
      (column !== 'allowance' || props.lines.some(({ note }) => note !== '')),
  ),
)
const by = ref<{ column: (typeof COLUMNS)[number]; down: boolean } | null>(null)
const when = (at: number | null) => (at === null ? '' : whenWords(at, moment.at, place.zone))
const rows = computed(() =>
  props.lines.map(({ row, moment: standing, note }) => {
    const because = standing.decidedBy
    const rule =
      because?.kind === 'rule'
        ? (board.policy.rules.find(({ id }) => id === because.id)?.name ?? because.id)
        : (because?.kind ?? '')
    return {
      key: row.key,
      line: {
        name: row.name,
        group: row.section,
        network: row.network,
        state: standing.state,
        by: rule,
        since: standing.since,
        until: standing.until,
        allowance: note,
      },
      blocked: isBlocked(standing.state),
      word: stateWord(standing),
    }
  }),
)
const sorted = computed(() => {
  if (!by.value) return rows.value
  const { column, down } = by.value
  const value = ({ line, word }: (typeof rows.value)[number]) =>
    ({
      device: line.name,
      group: line.group,
      network: line.network,
      state: word,
      by: line.by,
      since: line.since ?? -Infinity,
      until: line.until ?? Infinity,
      allowance: line.allowance,
    })[column]
  const order = (a: string | number, b: string | number) => {
    if (typeof a === 'string') return a.localeCompare(String(b))
    if (a === b) return 0
    return a - Number(b)
  }
  return rows.value.toSorted((a, b) => order(value(a), value(b)) * (down ? -1 : 1))
})
const sortBy = (column: (typeof COLUMNS)[number]) =>
  (by.value = { column, down: by.value?.column === column && !by.value.down })
// Loaded when somebody takes the answer away.
const format = () => import('../../../core/export/answer.ts')
const asked = () => ({ at: moment.at, zone: place.zone })
const taken = () => sorted.value.map(({ line }) => line)
async function copy() {
  const text = (await format()).answerTable(taken(), asked(), '\t')
  await navigator.clipboard.writeText(text).then(
    () => toast.add({ title: boardText.copiedLines(taken().length) }),
    () => toast.add({ title: boardText.cannotCopy, color: 'error' }),
  )
}
async function save(form: 'csv' | 'json' | 'ics') {
  const { answerJson, answerTable, blockedCalendar } = await format()
  if (form === 'csv') saveFile('answer.csv', 'text/csv', answerTable(taken(), asked()))
  else if (form === 'json') saveFile('answer.json', 'application/json', answerJson(taken(), moment.at))
  else
    saveFile(
      'blocked.ics',
      'text/calendar',
      blockedCalendar(
        props.lines.map(({ row }) => ({
          id: row.key,
          name: row.name,
          segments: props.segments.get(row.key) ?? [],
        })),
        Math.floor(moment.now),
      ),
    )
}
/** The acts of the buttons in the sentence, in its order. */
const WAYS = [copy, () => window.print(), () => save('csv'), () => save('json'), () => save('ics')]
</script>

<template>
  <div class="answer">
    <p class="ways soft">
      <MarkedText v-slot="{ words, index }" :text="boardText.copy"
        ><ActButton size="xs" @click="WAYS[index]!()">{{ words }}</ActButton></MarkedText
      >
    </p>
    <table>
      <caption>
        {{
          dateWords(moment.at, place.zone)
        }},
        {{
          clockOf(moment.at, place.zone)
        }}
      </caption>
      <thead>
        <tr>
          <th
            v-for="column in columns"
            :key="column"
            scope="col"
            :aria-sort="by?.column === column ? (by.down ? 'descending' : 'ascending') : 'none'"
          >
            <ActButton size="xs" variant="ghost" @click="sortBy(column)"
              >{{ column }}{{ by?.column === column ? (by.down ? ' ↓' : ' ↑') : '' }}</ActButton
            >
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in sorted" :key="row.key" :class="{ blocked: row.blocked }">
          <th scope="row">{{ row.line.name }}</th>
          <td>{{ row.line.group }}</td>
          <td v-if="columns.includes('network')">{{ row.line.network }}</td>
          <td class="state">{{ row.word }}</td>
          <td>{{ row.line.by }}</td>
          <td>{{ when(row.line.since) }}</td>
          <td>{{ when(row.line.until) }}</td>
          <td v-if="columns.includes('allowance')">{{ row.line.allowance }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.ways {
  font-size: 13px;
  margin: 4px 0 8px;
}
.answer {
  overflow-x: auto;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}
caption {
  text-align: left;
  font: 500 16px var(--font-head);
  margin-bottom: 4px;
}
th {
  text-align: left;
  font-weight: 400;
  padding: 4px 12px 4px 0;
  white-space: nowrap;
}
thead th {
  color: var(--soft);
  font-size: 13px;
}
/* Its words stand over those of its column. */
thead button {
  margin-left: -8px;
}
tbody tr {
  border-top: 1px solid var(--hair);
  content-visibility: auto;
  contain-intrinsic-height: 28px;
}
td {
  padding: 4px 12px 4px 0;
  color: var(--soft);
}
.blocked th,
.blocked .state {
  font-weight: 600;
  color: var(--ink);
}
</style>
