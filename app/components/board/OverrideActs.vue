<script setup lang="ts">
import { computed, ref } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import { readSpoken } from '../../../core/time/spoken.ts'
import type { Effect } from '../../../core/policy/types.ts'
import { useOverride, type Whom } from '../../composables/useOverride.ts'
import { useMoment } from '../../stores/moment.ts'
import { useNetwork } from '../../stores/network.ts'
import { lengthWords, whenWords } from '../../words/time.ts'

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
  return make(effect, props.who, span, `${props.name} is ${effect === 'allow' ? 'open' : 'cut off'} ${start.value}${words.value}.`)
}
/** Moves the end of the running override by minutes, "lifted" = until it is lifted. */
function moveEnd(event: Event) {
  const menu = event.target as HTMLSelectElement
  const minutes = menu.value
  menu.value = ''
  const one = running.value!
  const until = minutes === 'lifted' ? null : (one.until === null ? Math.floor(moment.now) : readInstant(one.until)!) + Number(minutes) * 60
  return move(one, until, until === null ? 'The override stays until it is lifted.' : `The override ends ${whenWords(until, moment.now, network.zone)}.`)
}
</script>

<template>
  <div class="acts">
    <template v-if="running">
      <UButton size="xs" :loading="busy" @click="lift(running)">Lift the override</UButton>
      <select aria-label="Change its end" :disabled="busy" @change="moveEnd">
        <option value="">{{ running.until ? `${lengthWords(readInstant(running.until)! - moment.now)} left` : 'until lifted' }}</option>
        <option v-for="minutes in [15, 30, 60, 240]" :key="minutes" :value="minutes">{{ lengthWords(minutes * 60) }} more</option>
        <option v-if="running.until && readInstant(running.until)! - moment.now > 900" value="-15">15 min less</option>
        <option v-if="running.until" value="lifted">until I lift it</option>
      </select>
    </template>
    <template v-else>
      <UButton size="xs" :loading="busy" :disabled="blocked" @click="override('allow')">Open {{ start }}{{ words }}</UButton>
      <UButton size="xs" variant="outline" color="neutral" :disabled="blocked" @click="own && !asking ? asking = true : override('block')">{{ asking ? 'Cut it off all the same' : `Cut off ${start}${words}` }}</UButton>
      <select v-model="length" aria-label="For how long">
        <option v-for="minutes in MINUTES" :key="minutes" :value="minutes">{{ lengthWords(minutes * 60) }}</option>
        <option v-if="next !== null && next > moment.now" value="next">until the next change</option>
        <option value="time">until a time…</option>
        <option value="lifted">until I lift it</option>
      </select>
      <label v-if="moment.at > moment.now + 60" class="soft"><input v-model="now" type="checkbox"> begin now instead</label>
      <span v-else-if="isPast" class="soft">takes effect now, not at the time you look at</span>
      <input v-if="length === 'time'" v-model="text" aria-label="Until when" placeholder="21:30, tomorrow 7am" :aria-invalid="text !== '' && typed === null">
      <p v-if="asking" class="soft" role="alert">You are using this machine right now. Kairostat stays within its reach, the internet does not. <button type="button" class="link" @click="asking = false">Leave it open</button></p>
    </template>
  </div>
</template>

<style scoped>
.acts { display: flex; flex-wrap: wrap; gap: 6px; align-items: center; margin-top: 14px; }
select, input { background: var(--paper); border: 1px solid var(--line); border-radius: 99px; padding: 2px 8px; font-size: 12px; max-width: 140px; }
</style>
