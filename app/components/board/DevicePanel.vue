<script setup lang="ts">
import { computed } from 'vue'
import { subjectOf } from '../../../core/decision/periods.ts'
import type { StateAt } from '../../../core/decision/moment.ts'
import { isBlocked } from '../../../core/decision/standing.ts'
import type { Segment } from '../../../core/decision/timeline.ts'
import { drawnStretches } from '../../../core/picture/common.ts'
import { useDecided } from '../../composables/useDecider.ts'
import { useBoard } from '../../stores/board.ts'
import { useHistory } from '../../stores/history.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useMe } from '../../stores/me.ts'
import { isWithin } from '../../../protocol/helper-limit.ts'
import { usePlace } from '../../stores/place.ts'
import type { Override } from '../../../core/policy/types.ts'
import { readInstant } from '../../../core/time/instant.ts'
import { adapterWords } from '../../../core/words/device.ts'
import { standingSentence } from '../../text/standing.ts'
import { clockOf, dayAxis, weekdayWords } from '../../text/time.ts'
import ActButton from '../common/ActButton.vue'
import AccessBand from '../common/AccessBand.vue'
import { bandWords } from '../../model/board/band.ts'
import AllowanceList from './AllowanceList.vue'
import AskDevice from './AskDevice.vue'
import DeviceEvidence from './DeviceEvidence.vue'
import DeviceNetworks from './DeviceNetworks.vue'
import DeviceTrace from './DeviceTrace.vue'
import OverrideActs from '../common/OverrideActs.vue'
import RunningOverrides from '../common/RunningOverrides.vue'
import { overridesOf } from '../../model/overrides.ts'
import type { Row } from '../../model/board/board-rows.ts'
import type { Ranges } from '../../../core/time/ranges.ts'
import { addressOf } from '../../composables/useOpened.ts'
import { boardText } from '../../text/board.ts'

/** The answer about one device at the moment, what leads to it, and what one can do. */
const props = defineProps<{ row: Row; standing: StateAt; today: readonly Segment[]; mayBe: Ranges }>()
defineEmits<{ close: [] }>()
const [draft, place, gateway, board, moment, history, me] = [
  useDraftPolicy(),
  usePlace(),
  useGateway(),
  useBoard(),
  useMoment(),
  useHistory(),
  useMe(),
]
const person = computed(() => ({
  device: props.row.subject.device ?? props.row.key,
  macs: [...props.row.macs],
  network: props.row.subject.network,
}))
const subject = computed(() => subjectOf(board.compiled!, person.value))
const sentence = computed(() =>
  standingSentence(props.standing, board.policy, moment.at, props.mayBe[0]?.from ?? null),
)
const tomorrow = computed(() => dayAxis(board.day + 1, place.zone))
const later = useDecided(() => ({
  kind: 'periods' as const,
  periods: history.periods,
  people: [person.value],
  from: tomorrow.value.from,
  until: tomorrow.value.until,
}))
const week = useDecided(() => ({
  kind: 'periods' as const,
  periods: history.periods,
  people: [person.value],
  from: board.week.from,
  until: board.week.until,
}))
const adapters = computed(
  () =>
    draft.policy.devices.find(({ id }) => id === props.row.key)?.adapters ??
    props.row.macs.map((mac) => ({ mac, medium: 'other' as const })),
)
const brackets = computed(() => overridesOf(history.periods, props.row.subject))
const days = computed(() => [
  {
    name: board.day === board.today ? boardText.today : weekdayWords(board.axis.from, place.zone).slice(0, 3),
    axis: board.axis,
    segments: props.today,
  },
  {
    name: weekdayWords(tomorrow.value.from, place.zone).slice(0, 3),
    axis: tomorrow.value,
    segments: later.value?.[0]?.segments ?? [],
  },
  { name: boardText.week, axis: board.week, segments: week.value?.[0]?.segments ?? [] },
])
/** The subject of an override: the device, or an unknown one by its address. */
const whom = computed(() =>
  props.row.subject.device !== null
    ? { devices: [props.row.subject.device], groups: [] }
    : { devices: [], groups: [], macs: [...props.row.macs] },
)
const mayAct = computed(
  () =>
    me.mayDo('help') &&
    props.standing.decidedBy?.kind !== 'shielded' &&
    (me.limit === null || isWithin(me.limit, board.policy, whom.value)),
)
/** Today's stretches and tomorrow's, where today is shown. */
const stretches = computed(() =>
  board.day === board.today ? days.value.slice(0, 2).flatMap((day) => day.segments) : [],
)
/** An override for the device that its acts do not show: one to come, or of a part. */
const isBeside = ({ id, what, from }: Override) =>
  (what !== null || readInstant(from)! > moment.now) && brackets.value.some((one) => one.id === id)
const own = computed(() => gateway.isYours(props.row.macs))
const needle = computed(() => ((moment.at - board.axis.from) / (board.axis.until - board.axis.from)) * 200)
</script>

<template>
  <aside class="leaf panel" :aria-label="row.name">
    <ActButton
      class="close"
      variant="ghost"
      icon="i-lucide-x"
      :aria-label="boardText.close"
      @click="$emit('close')"
    />
    <h2>{{ row.name }}</h2>
    <p v-if="row.notLive" class="notlive">{{ boardText.onlyInDraft }}</p>
    <p class="say" data-testid="sentence">
      {{ sentence.before }}<em v-if="sentence.name">{{ sentence.name }}</em
      >{{ sentence.after }}
    </p>
    <OverrideActs
      v-if="mayAct"
      :key="row.key"
      :who="whom"
      :name="row.name"
      :next="standing.until"
      :own="own"
      :stretches="stretches"
    />
    <RunningOverrides :only="isBeside" />
    <AllowanceList
      :subject="subject"
      :name="row.name"
      :who="whom"
      :may-be="mayBe"
      :is-blocked="isBlocked(standing.state)"
      :may-act="mayAct"
    />
    <div class="days">
      <div v-for="(day, index) in days" :key="index" class="day">
        <span class="soft">{{ day.name }}</span>
        <AccessBand
          :stretches="drawnStretches(day.segments, board.ownBlocks)"
          :from="day.axis.from"
          :until="day.axis.until"
          :width="200"
          :height="17"
          :brackets="brackets"
          :may-be="mayBe"
          :label="bandWords(day.segments, (at) => clockOf(at, place.zone))"
        />
        <i v-if="index === 0" :style="{ left: `${needle + 46}px` }" />
      </div>
    </div>
    <DeviceTrace :subject="subject" />
    <DeviceNetworks :row="row" :person="person" :state="standing.state" />
    <AskDevice :key="row.key" :person="person" :name="row.name" :who="whom" :may-act="mayAct" />
    <p class="adapters soft">
      {{ adapters.map(adapterWords).join(', ') }}
      <template v-if="me.mayDo('edit')">
        <NuxtLink
          v-if="row.subject.device || row.notLive"
          :to="addressOf('/devices', row.key)"
          class="link"
          >{{ boardText.editDevice }}</NuxtLink
        >
        {{ ' ' }}
        <NuxtLink
          v-if="row.subject.device || row.notLive"
          :to="`/rules?new=${encodeURIComponent(`devices:${row.key}`)}`"
          class="link"
          >{{ boardText.restrict }}</NuxtLink><NuxtLink v-else to="/devices" class="link">{{
          boardText.nameIt
        }}</NuxtLink>
      </template>
    </p>
    <DeviceEvidence :macs="row.macs" />
  </aside>
</template>

<style scoped>
.panel {
  position: sticky;
  top: 144px;
  padding: 20px;
  max-height: calc(100vh - 204px);
  overflow: auto;
}
.close {
  position: absolute;
  right: 10px;
  top: 10px;
}
h2 {
  padding-right: 24px;
}
.say {
  margin: 8px 0 14px;
}
.say em {
  font-style: normal;
  font-weight: 600;
}
.notlive {
  color: var(--warn);
  font-size: 13px;
  margin-top: 6px;
}
.adapters .link {
  margin-right: 8px;
  white-space: nowrap;
}
.adapters {
  font-size: 13px;
  margin-top: 14px;
  overflow-wrap: anywhere;
}
.days {
  margin-bottom: 12px;
}
.day {
  position: relative;
  display: flex;
  align-items: end;
  gap: 0;
  height: 30px;
  font-size: 13px;
}
.day > span {
  width: 46px;
}
.day > i {
  position: absolute;
  top: 4px;
  bottom: -2px;
  width: 2px;
  margin-left: -1px;
  background: var(--needle);
}
@media (max-width: 760px) {
  .panel {
    position: fixed;
    inset: auto 0 0;
    height: 74vh;
    max-height: none;
    z-index: 20;
    box-shadow: 0 -12px 40px -12px rgb(0 0 0 / 0.4);
    padding-bottom: 32px;
  }
}
</style>
