<script setup lang="ts">
import { computed, ref } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import { DAY, MINUTE } from '../../../core/time/duration.ts'
import { capital } from '../../../core/words/rule.ts'
import { lengthWords } from '../../../core/words/length.ts'
import { useOverride } from '../../composables/useOverride.ts'
import { useWidth } from '../../composables/useWidth.ts'
import { useBoard } from '../../stores/board.ts'
import { useLive } from '../../stores/live.ts'
import { useMe } from '../../stores/me.ts'
import { useMoment } from '../../stores/moment.ts'
import type { PersonLine } from '../../stores/people.ts'
import { usePlace } from '../../stores/place.ts'
import { bandWords } from '../../model/board/band.ts'
import { morningOf, tonightOf } from '../../model/board/day-ends.ts'
import { stateWord } from '../../text/standing.ts'
import { clockOf, whenWords } from '../../text/time.ts'
import { cardsText } from '../../text/people-cards.ts'
import ActButton from '../common/ActButton.vue'
import AccessBand from '../common/AccessBand.vue'

/** Somebody: how they stand in one sentence and one band, and four acts that follow from that. */
const props = defineProps<{ line: PersonLine }>()
const [board, live, me, moment, place] = [useBoard(), useLive(), useMe(), useMoment(), usePlace()]
const { busy, make, move } = useOverride()
const track = ref<HTMLElement | null>(null)
const width = useWidth(track)
const name = computed(() => props.line.group.name)
const who = computed(() => ({ devices: [], groups: [props.line.group.id] }))
const when = (instant: number) => whenWords(instant, moment.now, place.zone)
const state = computed(() => capital(stateWord({ state: props.line.state, decidedBy: null })))
const sentence = computed(() =>
  props.line.until === null
    ? cardsText.noEnd(state.value)
    : cardsText.until(state.value, whenWords(props.line.until, moment.at, place.zone)),
)
const words = computed(() => bandWords(props.line.band, (instant) => clockOf(instant, place.zone)))
/** The position of the needle in the band, in pixels. */
const needle = computed(
  () => ((moment.at - board.axis.from) / (board.axis.until - board.axis.from)) * width.value,
)

/** The override that allows them now, and can be made longer. */
const running = computed(() =>
  live.answer.policy.overrides.find(
    ({ effect, what, more, who, from, until }) =>
      effect === 'allow' &&
      what === null &&
      more === null &&
      who.groups.length === 1 &&
      who.groups[0] === props.line.group.id &&
      who.devices.length + who.networks.length + who.macs.length === 0 &&
      until !== null &&
      readInstant(from)! <= moment.now &&
      moment.now < readInstant(until)!,
  ),
)
/** The end of what is allowed now, today: more is added to it. */
const allowedUntil = computed(() => {
  const { current } = props.line
  return current?.state === 'open' && current.until < moment.now + DAY ? current.until : null
})
function more(minutes: number) {
  const seconds = minutes * MINUTE
  const end = Math.floor(allowedUntil.value ?? moment.now) + seconds
  const said = cardsText.allowedUntil(name.value, when(end))
  const one = running.value
  if (one) return move(one, readInstant(one.until!)! + seconds, said)
  // Without an end before it, the length goes by the server's clock.
  const span = allowedUntil.value === null ? { lasts: seconds, until: null } : { lasts: null, until: end }
  return make('allow', who.value, { from: null, ...span }, said)
}
function until(effect: 'allow' | 'block', end: number | null) {
  const isAllowed = effect === 'allow'
  const [ends, on] = isAllowed
    ? [cardsText.allowedUntil, cardsText.allowedOn]
    : [cardsText.blockedUntil, cardsText.blockedOn]
  const said = end === null ? on(name.value) : ends(name.value, when(end))
  return make(effect, who.value, { from: null, lasts: null, until: end }, said)
}
const block = (minutes: number) =>
  make(
    'block',
    who.value,
    { from: null, lasts: minutes * MINUTE, until: null },
    cardsText.blockedUntil(name.value, when(Math.floor(moment.now) + minutes * MINUTE)),
  )

interface Act {
  readonly label: string
  /** The hour at which it ends, for those who do not see it said. */
  readonly hour: string
  readonly run: () => Promise<unknown>
}
/** Who is blocked gets time; who is allowed without an end is blocked for a while. */
const acts = computed((): Act[] => {
  const { line } = props
  // They count now, wherever the needle is.
  const state = line.current?.state ?? line.state
  const night = tonightOf(line.stretches, moment.now, place.zone)
  const morning = morningOf(line.stretches, moment.now, place.zone)
  if (state === 'open' && allowedUntil.value === null)
    return [
      { label: cardsText.blockMinutes(lengthWords(30 * MINUTE)), hour: '', run: () => block(30) },
      { label: cardsText.blockAgain(lengthWords(60 * MINUTE)), hour: '', run: () => block(60) },
      { label: cardsText.untilMorning, hour: when(morning), run: () => until('block', morning) },
      { label: cardsText.block, hour: '', run: () => until('block', null) },
    ]
  const last =
    state === 'cut-off'
      ? { label: cardsText.allow, hour: '', run: () => until('allow', null) }
      : { label: cardsText.block, hour: '', run: () => until('block', null) }
  return [
    { label: cardsText.more(10), hour: '', run: () => more(10) },
    { label: cardsText.more(30), hour: '', run: () => more(30) },
    { label: cardsText.untilTonight, hour: when(night), run: () => until('allow', night) },
    last,
  ]
})
/** A helper's acts are limited: the server says how where one goes beyond. */
const mayAct = computed(() => me.mayDo('help') && props.line.current !== null)
</script>

<template>
  <li class="leaf card">
    <div class="head">
      <h3>{{ name }}</h3>
      <NuxtLink :to="`/?device=${line.rows[0]!.key}`" class="soft count"
        >{{ line.rows.length }} {{ cardsText.devices(line.rows.length) }}</NuxtLink
      >
    </div>
    <p>
      <b>{{ sentence }}</b><template v-if="line.rule">, {{ cardsText.byRule(line.rule) }}</template
      ><template v-if="line.note">. {{ line.note }}</template>
    </p>
    <div ref="track" class="track">
      <AccessBand
        v-if="width > 0 && line.band.length > 0"
        :stretches="line.band"
        :from="board.axis.from"
        :until="board.axis.until"
        :width="width"
        :label="words"
      />
      <i class="needle" :style="{ left: `${needle}px` }"></i>
    </div>
    <div v-if="mayAct" class="acts" role="group" :aria-label="cardsText.actsOf(name)">
      <ActButton
        v-for="act in acts"
        :key="act.label"
        :disabled="busy"
        :aria-label="cardsText.about(act.label, name, act.hour && cardsText.untilWhen(act.hour))"
        @click="act.run"
        >{{ act.label }}</ActButton
      >
    </div>
  </li>
</template>

<style scoped>
.card {
  padding: 12px 14px 14px;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 10px;
}
h3 {
  font: 650 19px/1.25 var(--font-head);
  overflow-wrap: anywhere;
}
.count {
  display: inline-flex;
  align-items: center;
  min-height: 44px;
  margin: -10px 0;
  font-size: 13.5px;
  white-space: nowrap;
}
.track {
  position: relative;
  min-height: 24px;
  margin: 6px 0 10px;
}
.needle {
  position: absolute;
  top: -2px;
  bottom: 0;
  width: 2px;
  margin-left: -1px;
  background: var(--needle);
}
.acts {
  display: grid;
  grid-template-columns: 1fr 1fr 1.4fr 1fr;
  gap: 6px;
}
.acts > * {
  justify-content: center;
  min-height: 44px;
  padding-inline: 4px;
  white-space: normal;
  text-align: center;
  line-height: 1.2;
}
</style>
