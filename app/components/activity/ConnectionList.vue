<script setup lang="ts">
import { computed, ref } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import type { Flow } from '../../../protocol/gateway/evidence.ts'
import { saveFile } from '../../composables/saveFile.ts'
import { useBoard } from '../../stores/board.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { usePlace } from '../../stores/place.ts'
import { secondWords } from '../../text/time.ts'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'
import { activityText } from '../../text/activity.ts'

/**
 * The connections that the gateway saw lately, until the moment shown, newest first; narrowed by device,
 * outcome and a part of where they went.
 */
const props = defineProps<{ nameOf: (mac: string) => string; ruleName: (id: string | null) => string }>()
const [draft, place, gateway, board, moment] = [
  useDraftPolicy(),
  usePlace(),
  useGateway(),
  useBoard(),
  useMoment(),
]
const SHOWN = 60
const device = ref('')
const OUTCOMES = [
  { value: '', label: activityText.allOutcomes },
  { value: 'block', label: activityText.dropped },
  { value: 'allow', label: activityText.passed },
  { value: 'log', label: activityText.logged },
] as const
const effect = ref<Flow['effect'] | ''>('')
const text = ref('')

const known = computed(
  () => new Set(draft.policy.devices.flatMap(({ adapters }) => adapters.map(({ mac }) => mac))),
)
const macs = computed(() => new Set(board.rows.find(({ key }) => key === device.value)?.macs ?? []))
const all = computed(() => {
  // By the gateway's clock.
  const until = moment.at + (gateway.answered?.ahead ?? 0)
  return (gateway.evidence?.recent ?? []).filter((flow) => moment.isNow || readInstant(flow.at)! <= until)
})
const found = computed(() =>
  all.value.filter(
    (flow) =>
      (device.value === '' || macs.value.has(flow.mac)) &&
      (effect.value === '' || flow.effect === effect.value) &&
      flow.to.includes(text.value.trim().toLowerCase()),
  ),
)
const outcome = ({ effect, because }: Flow) => {
  if (effect === 'block') return activityText.droppedBy(props.ruleName(because))
  if (effect === 'log') return activityText.loggedFor(props.ruleName(because))
  return activityText.passed
}
const time = (instant: string) => secondWords(readInstant(instant)!, moment.now, place.zone)
async function save() {
  const { connectionTable } = await import('../../../core/export/answer.ts')
  saveFile(
    'connections.csv',
    'text/csv',
    connectionTable(
      found.value.map((flow) => ({
        at: flow.at,
        device: props.nameOf(flow.mac),
        mac: flow.mac,
        to: flow.to,
        outcome: outcome(flow),
      })),
    ),
  )
}
</script>

<template>
  <section :aria-label="activityText.connections">
    <h2 id="connections">{{ activityText.connectionsNewestFirst }}</h2>
    <div class="tools">
      <SelectField
        v-model="device"
        :label="activityText.connectionsOf"
        :items="[
          { value: '', label: activityText.allDevices },
          ...board.rows.map((row) => ({ value: row.key, label: row.name })),
        ]"
      />
      <SelectField v-model="effect" :label="activityText.connectionsThatWere" :items="OUTCOMES" />
      <UInput
        v-model="text"
        type="search"
        :aria-label="activityText.connectionsTo"
        class="w-40"
        :placeholder="activityText.partOfAnAddress"
      />
      <ActButton :disabled="found.length === 0" @click="save">{{ activityText.exportCsv }}</ActButton>
    </div>
    <p v-if="all.length === 0" class="soft">{{ activityText.noneFromBefore }}</p>
    <p v-else-if="found.length === 0" class="soft" role="status">{{ activityText.noConnectionsMatch }}</p>
    <ol tabindex="0" aria-labelledby="connections">
      <li
        v-for="(flow, index) in found.slice(0, SHOWN)"
        :key="index"
        :class="{ dropped: flow.effect === 'block' }"
      >
        <span class="soft">{{ time(flow.at) }}</span>
        <span class="who"
          >{{ nameOf(flow.mac) }} <small v-if="!known.has(flow.mac)">{{ activityText.unknown }}</small></span
        >
        <span class="to">{{ flow.to }}</span><span
          ><i v-if="flow.effect === 'block'" aria-hidden="true">✕ </i>{{ outcome(flow) }}</span
        >
      </li>
    </ol>
    <p v-if="found.length > SHOWN" class="soft">{{ activityText.latestOf(SHOWN, found.length) }}</p>
  </section>
</template>

<style scoped>
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 8px;
}
ol {
  margin-top: 10px;
  max-height: 640px;
  overflow-y: auto;
}
li {
  display: grid;
  grid-template-columns: 64px 160px minmax(0, 1fr) minmax(0, 0.9fr);
  gap: 10px;
  padding: 3px 6px;
  border-top: 1px solid var(--hair);
  font-size: 13px;
  color: var(--soft);
}
.dropped {
  color: var(--ink);
  background: var(--leaf);
  box-shadow: inset 3px 0 var(--ink);
}
.dropped > :last-child {
  font-weight: 600;
}
i {
  font-style: normal;
}
small {
  color: var(--warn);
  font-size: 13px;
}
.who,
.to {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
@media (max-width: 760px) {
  li {
    grid-template-columns: 64px minmax(0, 1fr);
  }
  li > :nth-child(n + 3) {
    grid-column: 2;
  }
}
</style>
