<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { periodStates } from '../../../core/decision/periods.ts'
import type { Standing } from '../../../core/decision/standing.ts'
import { dayAt } from '../../../core/time/instant.ts'
import { DAY } from '../../../core/time/duration.ts'
import { readSpoken } from '../../../core/time/spoken.ts'
import { useAsked } from '../../composables/useDecider.ts'
import { useWidth } from '../../composables/useWidth.ts'
import { useBoard } from '../../stores/board.ts'
import { useHistory } from '../../stores/history.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { useView } from '../../stores/view.ts'
import { stateWord } from '../../text/standing.ts'
import { clockOf, dateWords, dayAxis } from '../../text/time.ts'
import { BESIDE, differences, reachAt, withReach, type Side } from '../../model/board/band.ts'
import TwoBands from '../common/TwoBands.vue'
import LongList from '../common/LongList.vue'
import type { Line } from '../../model/board/board-lines.ts'
import SelectField from '../common/SelectField.vue'
import { boardText } from '../../text/board.ts'
import MarkedText from '../common/MarkedText.vue'

/**
 * The differences between two moments, or between two devices: only the rows that differ, with both bands.
 * `lines` are those that the board would show, `first` the device to begin with.
 */
const props = defineProps<{ lines: readonly Line[]; first: string | null }>()
const [place, board, history, moment, view] = [usePlace(), useBoard(), useHistory(), useMoment(), useView()]
const frame = ref<HTMLElement | null>(null)
const width = useWidth(frame)
const WHAT = [
  { value: 'moments', label: boardText.withAnotherMoment },
  { value: 'devices', label: boardText.twoDevices },
] as const
const what = ref<'moments' | 'devices'>('moments')
const text = ref('')
const typed = computed(() =>
  text.value.trim() === '' ? moment.at + DAY : readSpoken(text.value, place.zone, moment.now),
)
const other = ref(moment.at + DAY)
// A moment that cannot be read leaves the comparison before it.
watch(typed, (at) => at !== null && (other.value = at))
const when = (at: number) => `${dateWords(at, place.zone)}, ${clockOf(at, place.zone)}`
const days = computed(() => [board.axis, dayAxis(dayAt(other.value, place.zone), place.zone)] as const)
watch(
  () => days.value[1].from,
  (from) => void history.reach(from),
  { immediate: true },
)

const one = props.first ?? props.lines[0]?.row.key ?? ''
const keys = ref<[string, string]>([one, props.lines.find(({ row }) => row.key !== one)?.row.key ?? one])
const choices = computed(() => board.rows.map(({ key, name }) => ({ label: name, value: key })))

const then = computed(() =>
  what.value === 'moments' && history.periods.length > 0
    ? new Map(
        periodStates(history.periods, board.people, other.value).map((standing, index) => [
          board.rows[index]!.key,
          standing,
        ]),
      )
    : null,
)
const reachNow = (standing: Standing) => reachAt(history.periods, moment.at, standing)
const reachThen = (standing: Standing) => reachAt(history.periods, other.value, standing)
/** Returns the standing of a device at both moments; the same word twice would not show the difference. */
function bothWords({ row, moment: standing }: Line): string {
  const [now, later] = [stateWord(standing), stateWord(then.value!.get(row.key)!)]
  return now === later ? boardText.otherSites(now) : boardText.then(now, later)
}
const differing = computed(() =>
  then.value
    ? props.lines.filter(({ row, moment: standing }) => {
        const other = then.value!.get(row.key)!
        return other.state !== standing.state || reachThen(other) !== reachNow(standing)
      })
    : [],
)
const people = computed(() => {
  const wanted = new Set(what.value === 'moments' ? differing.value.map(({ row }) => row.key) : keys.value)
  return board.rows.flatMap(({ key }, index) =>
    wanted.has(key) ? [{ key, person: board.people[index]! }] : [],
  )
})
const asking = (range: () => { from: number; until: number }) =>
  useAsked(() =>
    people.value.length === 0 || history.periods.length === 0
      ? null
      : {
          kind: 'periods' as const,
          periods: history.periods,
          people: people.value.map(({ person }) => person),
          keys: people.value.map(({ key }) => key),
          from: range().from,
          until: range().until,
        },
  )
const range = computed(() => (what.value === 'moments' ? days.value[0] : view.axis))
const [here, there] = [
  asking(() => range.value),
  asking(() => (what.value === 'moments' ? days.value[1] : view.axis)),
]
const segmentsOf = (found: typeof here.value, key: string) =>
  withReach(found?.answer[found.question.keys?.indexOf(key) ?? -1]?.segments ?? [], history.periods)
const nameOf = (key: string) => board.rows.find((row) => row.key === key)?.name ?? key

const sidesOf = ({ row }: Line): [Side, Side] => [
  {
    words: when(moment.at).replace(',', ''),
    stretches: segmentsOf(here.value, row.key),
    from: days.value[0].from,
    until: days.value[0].until,
    needle: moment.at,
  },
  {
    words: when(other.value).replace(',', ''),
    stretches: segmentsOf(there.value, row.key),
    from: days.value[1].from,
    until: days.value[1].until,
    needle: other.value,
  },
]
const sideOf = (key: string): Side => ({
  words: nameOf(key),
  stretches: segmentsOf(here.value, key),
  from: view.axis.from,
  until: view.axis.until,
  needle: moment.at,
})
const pair = computed((): [Side, Side] => [sideOf(keys.value[0]), sideOf(keys.value[1])])
const apart = computed(() => differences(pair.value[0].stretches, pair.value[1].stretches))
const long = computed(() => view.axis.until - view.axis.from > DAY + 7200)
const clock = (at: number) =>
  long.value ? `${dateWords(at, place.zone)} ${clockOf(at, place.zone)}` : clockOf(at, place.zone)
const said = computed(() => {
  if (what.value === 'moments') {
    if (differing.value.length === 0) return boardText.allTheSame(when(other.value))
    return boardText.devicesDiffer(differing.value.length, props.lines.length, when(other.value))
  }
  if (keys.value[0] === keys.value[1]) return boardText.chooseTwoDevices
  return apart.value.length === 0
    ? boardText.bothTheSame
    : boardText.theyDiffer(
        apart.value
          .slice(0, 6)
          .map(({ from, until }) => boardText.range(clock(from), clock(until)))
          .join(', '),
        apart.value.length - 6,
      )
})
</script>

<template>
  <div class="compare">
    <p class="said display" role="status">{{ said }}.</p>
    <div class="with">
      <span>{{ boardText.compareWord }}</span>
      {{ ' ' }}
      <SelectField v-model="what" :label="boardText.whatIsCompared" :items="WHAT" />
      <template v-if="what === 'moments'">
        <UInput
          v-model="text"
          :aria-label="boardText.theOtherMoment"
          class="w-44"
          :placeholder="boardText.momentExample"
          :aria-invalid="typed === null"
        />
        <span v-if="typed === null" class="fault" role="alert">{{ boardText.notAMoment(text) }}</span>
      </template>
      <template v-else>
        <USelectMenu
          v-for="index in [0, 1] as const"
          :key="index"
          v-model="keys[index]"
          :items="choices"
          value-key="value"
          class="w-48"
          :virtualize="choices.length > 60"
          :aria-label="index === 0 ? boardText.oneDevice : boardText.theOtherDevice"
        />
      </template>
      <span class="soft"
        ><MarkedText v-slot="{ words, index }" :text="boardText.orWord"
          ><NuxtLink :to="index === 0 ? '/review' : '/history'" class="link">{{
            words
          }}</NuxtLink></MarkedText
        ></span
      >
    </div>
    <div ref="frame">
      <template v-if="width > 0">
        <p v-if="people.length > 0" class="ticks" aria-hidden="true">
          <span
            v-for="tick in range.ticks"
            :key="tick.at"
            :style="{
              left: `${BESIDE + ((tick.at - range.from) / (range.until - range.from)) * (width - BESIDE)}px`,
            }"
            >{{ tick.label }}</span
          >
        </p>
        <LongList
          v-if="what === 'moments' && differing.length > 0"
          v-slot="{ item }"
          :items="differing"
          :key-of="(item) => item.row.key"
          :estimate="() => 82"
          :label="boardText.whatDiffers"
        >
          <div class="row" :data-differs="item.row.key">
            <h3>
              {{ item.row.name }}
              <small>{{ bothWords(item) }}</small>
            </h3>
            <TwoBands :name="item.row.name" :sides="sidesOf(item)" :width="width" />
          </div>
        </LongList>
        <TwoBands
          v-else-if="what === 'devices' && keys[0] !== keys[1]"
          name="Compared"
          :sides="pair"
          :width="width"
        />
      </template>
    </div>
  </div>
</template>

<style scoped>
.said {
  font-size: 17px;
  margin: 8px 0 4px;
}
.with {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 14px;
  font-size: 13px;
  color: var(--soft);
  margin-bottom: 10px;
}
.fault {
  color: var(--danger);
}
.ticks {
  position: relative;
  height: 17px;
  font-size: 13px;
  color: var(--soft);
}
.ticks span {
  position: absolute;
  transform: translateX(-50%);
}
.row {
  padding: 8px 0 12px;
}
h3 {
  font-weight: 500;
}
small {
  font-size: 13px;
  color: var(--soft);
  font-weight: 400;
  margin-left: 8px;
}
</style>
