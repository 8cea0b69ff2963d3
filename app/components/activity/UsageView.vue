<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { apiPath } from '../../model/address.ts'
import { computed, ref, shallowRef, watch } from 'vue'
import { instantText } from '../../../core/time/instant.ts'
import { countWords } from '../../../core/words/count.ts'
import { hoursWords } from '../../../core/words/length.ts'
import type { UsageAnswer } from '../../../protocol/answers.ts'
import { callApi, wordsOf } from '../../composables/useApi.ts'
import { rangeOf, SPANS, usePerDevice, type DeviceUse, type Measure, type Span } from '../../model/usage.ts'
import { useBoard } from '../../stores/board.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useHistory } from '../../stores/history.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { activityText } from '../../text/activity.ts'
import { bytesWords } from '../../text/gateway.ts'
import { dateWords } from '../../text/time.ts'
import ActButton from '../common/ActButton.vue'
import MarkedText from '../common/MarkedText.vue'
import DeviceUsage from './DeviceUsage.vue'

/** The usage of all devices: on the day of the moment, or in the days up to it. */
const isAnswered = ref(false)
const emit = defineEmits<{
  /** Tells that the view has its height, so that the parts below can be drawn. */
  answered: []
}>()
const [board, gateway, history, moment, place] = [
  useBoard(),
  useGateway(),
  useHistory(),
  useMoment(),
  usePlace(),
]
/** The number of rows before *Show all*, and the time between two questions while the moment is now. */
const FEW_ROWS = 8
const ASK_EVERY_MS = 15_000
const SPAN_NAMES: Record<Span, string> = {
  day: activityText.aDay,
  week: activityText.aWeek,
  month: activityText.aMonth,
}
const MEASURES = [
  { value: 'bytes', label: activityText.data },
  { value: 'minutes', label: activityText.activeTime },
] as const
const span = ref<Span>('day')
const measure = ref<Measure>('bytes')
const showsAll = ref(false)
const rows = shallowRef<readonly UsageAnswer[] | null>(null)
const chosen = ref<string | null>(null)
const trouble = ref('')

const range = computed(() => rangeOf(span.value, board.day, place.zone))
const by = computed(() => (span.value === 'month' ? 'day' : 'hour'))
const devices = computed(() => usePerDevice(rows.value ?? [], board.rows, measure.value))
const shown = computed(() => (showsAll.value ? devices.value : devices.value.slice(0, FEW_ROWS)))
const most = computed(() => devices.value[0]?.[measure.value] || 1)
const device = computed(() => devices.value.find(({ key }) => key === chosen.value) ?? null)
const words = (use: Pick<DeviceUse, Measure>) =>
  measure.value === 'bytes' ? bytesWords(use.bytes) : hoursWords(use.minutes)
/** Of which days the rows are: until others are answered, those are what is told. */
const told = shallowRef({ span: span.value, range: range.value })
const when = computed(() => {
  const { from, until } = told.value.range
  const day = dateWords(until - 1, place.zone)
  return told.value.span === 'day'
    ? activityText.onDay(day)
    : activityText.fromTo(dateWords(from, place.zone), day)
})
const isCounted = computed(() => gateway.answered?.status?.settings.usage.kept !== false)
const headline = computed(() => {
  if (!isCounted.value) return activityText.usageNotCounted
  if (rows.value === null) return activityText.loadingUsage
  const [first] = devices.value
  if (!first || first[measure.value] === 0) return activityText.noUsage(when.value)
  const sum = devices.value.reduce(
    (all, use) => ({ bytes: all.bytes + use.bytes, minutes: all.minutes + use.minutes }),
    { bytes: 0, minutes: 0 },
  )
  const all =
    measure.value === 'bytes' ? activityText.ofData(words(sum)) : activityText.ofActiveTime(words(sum))
  return activityText.usedMost(when.value, all, first.name, words(first))
})

const queryOf = (by: string, macs: readonly string[]) =>
  new URLSearchParams({
    from: instantText(range.value.from),
    until: instantText(range.value.until),
    by,
    macs: macs.join(','),
  }).toString()
const file = computed(() => apiPath(`/api/usage/file?${queryOf(by.value, device.value?.macs ?? [])}`))
let asked = 0
/** The number of answers. */
const turn = ref(0)
async function ask() {
  const own = ++asked
  const wanted = { span: span.value, range: range.value }
  try {
    const all = await callApi<UsageAnswer[]>('GET', `/api/usage?${queryOf('day', [])}`)
    if (own !== asked) return
    rows.value = all
    told.value = wanted
    trouble.value = ''
    turn.value++
  } catch (error) {
    if (own === asked) trouble.value = wordsOf(error)
  }
  isAnswered.value = true
  emit('answered')
}
watch(range, () => void ask(), { immediate: true })
useIntervalFn(() => {
  if (moment.isNow) void ask()
}, ASK_EVERY_MS)
watch(
  () => range.value.from,
  (from) => void history.reach(from),
  { immediate: true },
)
</script>

<template>
  <section class="usage" :aria-label="activityText.usage">
    <h2><MarkedText :text="headline" /></h2>
    <!-- What stands under the answer comes with it, so that nothing moves. -->
    <div v-if="isAnswered" class="tools">
      <UFieldGroup role="group" :aria-label="activityText.usageSpan">
        <ActButton v-for="(_, one) in SPANS" :key="one" :aria-pressed="span === one" @click="span = one">{{
          SPAN_NAMES[one]
        }}</ActButton>
      </UFieldGroup>
      <UFieldGroup role="group" :aria-label="activityText.measure">
        <ActButton
          v-for="{ value, label } in MEASURES"
          :key="value"
          :aria-pressed="measure === value"
          @click="measure = value"
          >{{ label }}</ActButton
        >
      </UFieldGroup>
      <ActButton :href="file" download>{{ activityText.exportCsv }}</ActButton>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <ol v-if="shown.length > 0">
      <li v-for="use in shown" :key="use.key">
        <ActButton
          variant="ghost"
          class="user"
          :aria-expanded="chosen === use.key"
          @click="chosen = chosen === use.key ? null : use.key"
        >
          <span class="name">{{ use.name }}</span>
          <span class="scale"
            ><span class="length" :style="{ width: `${(use[measure] / most) * 100}%` }"
          /></span>
          <span class="value">{{ words(use) }}</span>
          <span class="soft">{{
            measure === 'bytes' ? activityText.activeFor(use.minutes) : bytesWords(use.bytes)
          }}</span>
          <span class="soft">{{
            use.dropped > 0 ? activityText.triesRefused(countWords(use.dropped, 'packet')) : ''
          }}</span>
        </ActButton>
        <DeviceUsage
          v-if="chosen === use.key"
          :use="use"
          :all="devices"
          :measure="measure"
          :by="by"
          :from="range.from"
          :until="range.until"
          :turn="turn"
        />
      </li>
    </ol>
    <ActButton
      v-if="devices.length > FEW_ROWS"
      variant="ghost"
      :aria-expanded="showsAll"
      @click="showsAll = !showsAll"
      >{{ showsAll ? activityText.firstUsers(FEW_ROWS) : activityText.allUsers(devices.length) }}</ActButton
    >
    <p v-if="isAnswered" class="soft note">
      <MarkedText
        v-slot="{ words: link }"
        :text="isCounted ? activityText.usageNote : activityText.youCanChangeThatIn"
        ><NuxtLink to="/settings/usage" class="link">{{ link }}</NuxtLink></MarkedText
      >
    </p>
  </section>
</template>

<style scoped>
.usage {
  margin-top: 22px;
}
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 8px 0 12px;
}
li {
  display: block;
  border-top: 1px solid var(--hair);
}
.user {
  display: grid;
  grid-template-columns: minmax(0, 220px) minmax(80px, 1fr) 90px 150px 130px;
  gap: 14px;
  align-items: center;
  width: 100%;
  min-height: 34px;
  text-align: left;
  cursor: pointer;
}
.user:hover .name {
  text-decoration: underline;
}
.name {
  overflow-wrap: anywhere;
}
.scale {
  border-bottom: 1px solid var(--ink);
  height: 12px;
}
.length {
  display: block;
  height: 100%;
  background: var(--allow);
}
.value {
  font-weight: 600;
  text-align: right;
  white-space: nowrap;
}
.user .soft {
  font-size: 13px;
}
.note {
  font-size: 13px;
  margin-top: 8px;
  max-width: 70ch;
}
@media (max-width: 760px) {
  .user {
    grid-template-columns: minmax(0, 1fr) auto;
    gap: 2px 12px;
    padding: 8px 0;
    min-height: 44px;
  }
  .scale {
    grid-column: 1 / -1;
    grid-row: 2;
  }
}
</style>
