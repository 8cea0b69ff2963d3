<script setup lang="ts">
import { computed, ref } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import { readSpan, type SpokenSpan } from '../../../core/time/spoken-span.ts'
import { morningOf, tonightOf } from '../../model/board/day-ends.ts'
import type { Effect } from '../../../core/policy/types.ts'
import { useOverride, type Whom } from '../../composables/useOverride.ts'
import { useMoment } from '../../stores/moment.ts'
import { useLive } from '../../stores/live.ts'
import { useMe } from '../../stores/me.ts'
import { usePlace } from '../../stores/place.ts'
import { clockOf, whenWords } from '../../text/time.ts'
import { lengthWords } from '../../../core/words/length.ts'
import ActButton from './ActButton.vue'
import SelectField from './SelectField.vue'
import { boardText } from '../../text/board.ts'

/** Quick exceptions for one device or one group: they count at once and end by themselves. */
const props = withDefaults(
  defineProps<{
    who: Whom
    name: string
    /** The next change of its state by itself, in seconds; `null` where that is not known. */
    next?: number | null
    /** Its stretches of today and tomorrow; where they are not known, a night ends at midnight. */
    stretches?: readonly { readonly from: number }[]
    /** Whether it is the machine that the page is shown on: cutting that off asks first. */
    own?: boolean
  }>(),
  { next: null, own: false, stretches: () => [] },
)
const [live, place, moment, me] = [useLive(), usePlace(), useMoment(), useMe()]
const { busy, make, move, lift } = useOverride()
const asking = ref(false)
const same = (a: readonly string[], b: readonly string[]) =>
  a.length === b.length && a.every((one) => b.includes(one))
const running = computed(() =>
  live.answer.policy.overrides.find(
    ({ who, what, more, from, until }) =>
      what === null &&
      more === null &&
      same(who.devices, props.who.devices) &&
      same(who.groups, props.who.groups) &&
      same(who.networks, props.who.networks ?? []) &&
      same(who.macs, props.who.macs ?? []) &&
      !who.everyone &&
      readInstant(from)! <= moment.now &&
      (until === null || moment.now < readInstant(until)!),
  ),
)

const LENGTHS = [10, 15, 30, 60, 120, 240]
/** For how long one may choose: a helper as long as the limit says, at most. */
const minutesToChoose = computed(() => {
  const most = me.limit?.minutes ?? Infinity
  const shorter = LENGTHS.filter((minutes) => minutes < most)
  return most === Infinity ? LENGTHS : [...shorter, most]
})
/** For how long: minutes, until a change by itself, for a typed time, or until it is lifted. */
const length = ref<number | 'next' | 'tonight' | 'morning' | 'time' | 'lifted'>(
  Math.min(30, me.limit?.minutes ?? 30),
)
const text = ref('')
const typed = computed(() => (text.value === '' ? null : readSpan(text.value, place.zone, moment.now)))
const tonight = computed(() => tonightOf(props.stretches, moment.now, place.zone))
const morning = computed(() => morningOf(props.stretches, moment.now, place.zone))
/** The span that is chosen; `null` while what is typed says none. */
const span = computed((): SpokenSpan | null => {
  if (typeof length.value === 'number') return { from: later.value, lasts: length.value * 60, until: null }
  if (length.value === 'time') return typed.value && { ...typed.value, from: typed.value.from ?? later.value }
  const ends = { next: props.next, tonight: tonight.value, morning: morning.value, lifted: null }
  return { from: later.value, lasts: null, until: ends[length.value] }
})
const words = computed(() => {
  if (length.value === 'next') return boardText.untilTheNextChange
  if (span.value === null) return boardText.untilTyped
  const { lasts, until } = span.value
  if (lasts !== null) return boardText.forLength(lengthWords(lasts))
  return until === null ? boardText.untilEnded : boardText.until(whenWords(until, moment.now, place.zone))
})
/** While one looks at a future time, an act begins then, unless one says now. */
const now = ref(false)
const later = computed(() =>
  me.limit === null && !now.value && moment.at > moment.now + 60 ? moment.at : null,
)
const start = computed(() => {
  const from = span.value?.from ?? null
  return from === null ? '' : boardText.fromWhen(whenWords(from, moment.now, place.zone))
})
const isPast = computed(
  () => moment.at < moment.now - 60 || (me.limit !== null && moment.at > moment.now + 60),
)
const blocked = computed(() => busy.value || span.value === null)

function override(effect: Effect) {
  asking.value = false
  return make(
    effect,
    props.who,
    span.value!,
    boardText.overrideMade(props.name, effect === 'allow', start.value, words.value),
  )
}
/** Moves the end of the running override by minutes, "lifted" = until it is lifted. */
const lengths = computed((): { value: typeof length.value; label: string }[] => [
  ...minutesToChoose.value.map((minutes) => ({
    value: minutes,
    label: boardText.forLength(lengthWords(minutes * 60)),
  })),
  ...(me.limit === null ? freeEnds.value : []),
])
/** Ends that no limit allows for. */
const freeEnds = computed((): { value: typeof length.value; label: string }[] => [
  ...(props.next !== null && props.next !== undefined && props.next > moment.now
    ? [{ value: 'next' as const, label: boardText.untilTheNextChange }]
    : []),
  { value: 'tonight', label: boardText.untilTonight(clockOf(tonight.value, place.zone)) },
  { value: 'morning', label: boardText.untilMorning(clockOf(morning.value, place.zone)) },
  { value: 'time', label: boardText.untilATime },
  { value: 'lifted', label: boardText.untilIEndIt },
])
/** Other ends for the override that runs. */
const ends = computed(() => {
  const until = running.value?.until ?? null
  const left = until === null ? 0 : readInstant(until)! - moment.now
  const isAllowed = (minutes: number) => me.limit === null || left + minutes * 60 <= me.limit.minutes * 60
  return [
    ...[15, 30, 60, 240].filter(isAllowed).map((minutes) => ({
      label: boardText.more(lengthWords(minutes * 60)),
      onSelect: () => moveEnd(minutes),
    })),
    ...(left > 900 ? [{ label: boardText.fifteenMinutesLess, onSelect: () => moveEnd(-15) }] : []),
    ...(until !== null && me.limit === null
      ? [{ label: boardText.untilIEndIt, onSelect: () => moveEnd(null) }]
      : []),
  ]
})
/** Moves the end by so many minutes; `null` = until somebody ends it. */
function moveEnd(minutes: number | null) {
  const one = running.value!
  const until =
    minutes === null
      ? null
      : (one.until === null ? Math.floor(moment.now) : readInstant(one.until)!) + minutes * 60
  return move(
    one,
    until,
    until === null
      ? boardText.overrideStays
      : boardText.theOverrideEnds(whenWords(until, moment.now, place.zone)),
  )
}
</script>

<template>
  <div class="acts">
    <template v-if="running">
      <ActButton color="primary" variant="solid" :loading="busy" @click="lift(running)">{{
        boardText.endOverrideNow
      }}</ActButton>
      <UDropdownMenu v-if="ends.length > 0" :items="ends"
        ><ActButton
          :aria-label="boardText.changeItsEnd"
          :disabled="busy"
          trailing-icon="i-lucide-chevron-down"
          >{{
            running.until
              ? boardText.left(lengthWords(readInstant(running.until)! - moment.now))
              : boardText.noEndSet
          }}</ActButton
        ></UDropdownMenu
      >
    </template>
    <template v-else>
      <span class="caption"
        ><span class="soft">{{ boardText.overrideFrom(start) }}</span>
        {{ ' ' }}
        <SelectField v-model="length" :label="boardText.forHowLong" :items="lengths"
      /></span>
      <UCheckbox
        v-if="moment.at > moment.now + 60 && me.limit === null"
        v-model="now"
        :label="boardText.nowNotFrom(whenWords(moment.at, moment.now, place.zone))"
      />
      <span v-else-if="isPast" class="soft">{{ boardText.takesEffectNow }}</span>
      <UInput
        v-if="length === 'time'"
        v-model="text"
        :aria-label="boardText.untilWhen"
        class="w-44"
        :placeholder="boardText.untilExample"
        :aria-invalid="text !== '' && typed === null"
      />
      <div class="two">
        <ActButton
          :loading="busy"
          :disabled="blocked"
          :aria-label="boardText.allowFor(start, words)"
          @click="override('allow')"
          >{{ boardText.allow }}</ActButton
        >
        <ActButton
          :disabled="blocked"
          :aria-label="asking ? boardText.blockItAnyway : boardText.blockFor(start, words)"
          @click="own && !asking ? (asking = true) : override('block')"
          >{{ asking ? boardText.blockItAnyway : boardText.block }}</ActButton
        >
      </div>
      <p v-if="asking" class="soft" role="alert">
        {{ boardText.ownDevice }} <ActButton @click="asking = false">{{ boardText.cancel }}</ActButton>
      </p>
    </template>
  </div>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-top: 14px;
}
.caption {
  display: inline-flex;
  gap: 8px;
  align-items: center;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
  width: 100%;
}
.two > * {
  justify-content: center;
  white-space: normal;
  text-align: center;
}
</style>
