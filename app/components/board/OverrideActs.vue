<script setup lang="ts">
import { computed, ref } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import { readSpoken } from '../../../core/time/spoken.ts'
import type { Effect } from '../../../core/policy/types.ts'
import { useOverride, type Whom } from '../../composables/useOverride.ts'
import { useMoment } from '../../stores/moment.ts'
import { useNetwork } from '../../stores/network.ts'
import { lengthWords, whenWords } from '../../text/time.ts'
import SelectField from '../shell/SelectField.vue'

/** Quick exceptions for one device or one group: they count at once and end by themselves. */
const props = withDefaults(defineProps<{
  who: Whom
  name: string
  /** When its state changes next by itself, in seconds; `null` where that is not known. */
  next?: number | null
  /** Whether it is the machine that the page is shown on: cutting that off asks first. */
  own?: boolean
}>(), { next: null, own: false })
const [network, moment] = [useNetwork(), useMoment()]
const { busy, make, move, lift } = useOverride()
const asking = ref(false)
const same = (a: readonly string[], b: readonly string[]) => a.length === b.length && a.every(one => b.includes(one))
const running = computed(() => network.live!.policy.overrides.find(({ who, from, until }) => same(who.devices, props.who.devices) && same(who.groups, props.who.groups) && same(who.macs, props.who.macs ?? []) && !who.everyone
  && readInstant(from)! <= moment.now && (until === null || moment.now < readInstant(until)!)))

const MINUTES = [15, 30, 60, 120, 240, 480, 1440]
/** For how long: minutes, until the next change by itself, until a typed time, or until it is lifted. */
const length = ref<number | 'next' | 'time' | 'lifted'>(30)
const text = ref('')
const typed = computed(() => {
  const at = readSpoken(text.value, network.zone, moment.now)
  return at !== null && at > moment.now ? at : null
})
const words = computed(() => {
  if (typeof length.value === 'number') return `for ${lengthWords(length.value * 60)}`
  if (length.value === 'next') return 'until the next change'
  return length.value === 'lifted' ? 'until ended' : typed.value === null ? 'until …' : `until ${whenWords(typed.value, moment.now, network.zone)}`
})
/** Where one looks at a time to come, an act begins then, unless one says now. */
const now = ref(false)
const later = computed(() => !now.value && moment.at > moment.now + 60 ? moment.at : null)
const start = computed(() => later.value === null ? '' : `from ${whenWords(later.value, moment.now, network.zone)} `)
const isPast = computed(() => moment.at < moment.now - 60)
const blocked = computed(() => busy.value || (length.value === 'time' && typed.value === null))

function override(effect: Effect) {
  asking.value = false
  const ends = { next: props.next, time: typed.value, lifted: null }
  const span = { from: later.value, lasts: typeof length.value === 'number' ? length.value * 60 : null, until: typeof length.value === 'number' ? null : ends[length.value] }
  return make(effect, props.who, span, `${props.name} is ${effect === 'allow' ? 'allowed' : 'blocked'} ${start.value}${words.value}.`)
}
/** Moves the end of the running override by minutes, "lifted" = until it is lifted. */
const lengths = computed((): { value: typeof length.value, label: string }[] => [
  ...MINUTES.map(minutes => ({ value: minutes, label: `for ${lengthWords(minutes * 60)}` })),
  ...props.next !== null && props.next !== undefined && props.next > moment.now ? [{ value: 'next' as const, label: 'until the next change' }] : [],
  { value: 'time', label: 'until a time…' }, { value: 'lifted', label: 'until I end it' },
])
/** Other ends for the override that runs. */
const ends = computed(() => {
  const until = running.value?.until ?? null
  const left = until === null ? 0 : readInstant(until)! - moment.now
  return [
    ...[15, 30, 60, 240].map(minutes => ({ label: `${lengthWords(minutes * 60)} more`, onSelect: () => moveEnd(minutes) })),
    ...left > 900 ? [{ label: '15 min less', onSelect: () => moveEnd(-15) }] : [],
    ...until !== null ? [{ label: 'until I end it', onSelect: () => moveEnd(null) }] : [],
  ]
})
/** Moves the end by so many minutes; `null` = until somebody ends it. */
function moveEnd(minutes: number | null) {
  const one = running.value!
  const until = minutes === null ? null : (one.until === null ? Math.floor(moment.now) : readInstant(one.until)!) + minutes * 60
  return move(one, until, until === null ? 'The override stays until you end it.' : `The override ends ${whenWords(until, moment.now, network.zone)}.`)
}
</script>

<template>
  <div class="acts">
    <template v-if="running">
      <UButton color="primary" variant="solid" :loading="busy" @click="lift(running)">End override now</UButton>
      <UDropdownMenu :items="ends"><UButton aria-label="Change its end" :disabled="busy" trailing-icon="i-lucide-chevron-down">{{ running.until ? `${lengthWords(readInstant(running.until)! - moment.now)} left` : 'no end set' }}</UButton></UDropdownMenu>
    </template>
    <template v-else>
      <span class="caption"><span class="soft">Override {{ start }}</span> <SelectField v-model="length" label="For how long" :items="lengths" /></span>
      <UCheckbox v-if="moment.at > moment.now + 60" v-model="now" :label="`now, not from ${whenWords(moment.at, moment.now, network.zone)}`" />
      <span v-else-if="isPast" class="soft">takes effect now, not at the moment shown</span>
      <UInput v-if="length === 'time'" v-model="text" aria-label="Until when" class="w-44" placeholder="21:30, tomorrow 7am" :aria-invalid="text !== '' && typed === null" />
      <div class="two">
        <UButton :loading="busy" :disabled="blocked" :aria-label="`Allow ${start}${words}`" @click="override('allow')">Allow</UButton>
        <UButton :disabled="blocked" :aria-label="asking ? 'Block it anyway' : `Block ${start}${words}`" @click="own && !asking ? asking = true : override('block')">{{ asking ? 'Block it anyway' : 'Block' }}</UButton>
      </div>
      <p v-if="asking" class="soft" role="alert">You are using this device right now. It keeps access to Kairostat, but not to the internet. <UButton @click="asking = false">Cancel</UButton></p>
    </template>
  </div>
</template>

<style scoped>
.acts { display: flex; flex-wrap: wrap; gap: 8px; align-items: center; margin-top: 14px; }
.caption { display: inline-flex; gap: 8px; align-items: center; }
.two { display: grid; grid-template-columns: 1fr 1fr; gap: 8px; width: 100%; }
.two > * { justify-content: center; white-space: normal; text-align: center; }
</style>
