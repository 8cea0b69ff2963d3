<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import { shownSite } from '../../../core/formats/site-list.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useLearning } from '../../stores/learning.ts'
import { useMoment } from '../../stores/moment.ts'
import { useNetwork } from '../../stores/network.ts'
import { countWords, listWords, plural } from '../../text/count.ts'
import { clockOf, lengthWords } from '../../text/time.ts'

/** Learns what an app asks for: a device is watched while somebody uses the app there, and what it does not look up otherwise is proposed. */
const emit = defineEmits<{ learned: [sites: string[]], close: [] }>()
const [network, moment, learning] = [useNetwork(), useMoment(), useLearning()]
const { busy, trouble, send } = useDraft()
const device = ref<string | undefined>(learning.watched?.device)
const devices = computed(() => network.draft!.devices.filter(({ adapters }) => adapters.length > 0).map(({ id, name }) => ({ value: id, label: name })))
const connected = computed(() => new Set(network.sightings.filter(sighting => sighting.connected).map(({ mac }) => mac)))
const chosenDevice = computed(() => network.draft!.devices.find(({ id }) => id === device.value))
const away = computed(() => chosenDevice.value && !chosenDevice.value.adapters.some(({ mac }) => connected.value.has(mac)))
const name = computed(() => network.draft!.devices.find(({ id }) => id === learning.watched?.device)?.name ?? 'the device')
const running = computed(() => learning.watched !== null && learning.watched.until === null)
const span = computed(() => learning.watched ? lengthWords((learning.watched.until ?? moment.now) - learning.watched.from) : '')
const owners = computed(() => new Map(network.draft!.devices.flatMap(({ name: owner, adapters }) => adapters.map(({ mac }): [string, string] => [mac, owner]))))
const othersWords = (macs: readonly string[]) => {
  const names = [...new Set(macs.map(mac => owners.value.get(mac) ?? 'an unknown device'))]
  return names.length === 0 ? 'no other device' : names.length <= 2 ? `also ${listWords(names)}` : `also ${names[0]} and ${names.length - 1} more`
}
const fresh = computed(() => learning.proposals?.filter(({ usual }) => !usual) ?? [])
const usual = computed(() => learning.proposals?.filter(proposal => proposal.usual) ?? [])
const showUsual = ref(false)
/** What was ticked or unticked by hand; else what is new to the device is chosen. */
const ticked = ref(new Map<string, boolean>())
const isTicked = (site: string, isUsual: boolean) => ticked.value.get(site) ?? !isUsual
const chosen = computed(() => (learning.proposals ?? []).filter(one => isTicked(one.domain, one.usual)).map(({ site }) => site))
watch(() => learning.watched?.from, () => ticked.value.clear())
const time = (instant: string) => clockOf(readInstant(instant)!, network.zone)
const timesWords = (first: string, last: string) => time(first) === time(last) ? `at ${time(first)}` : `${time(first)} to ${time(last)}`

function start() {
  learning.start(device.value!, chosenDevice.value!.adapters.map(({ mac }) => mac))
}
/** In a simulated network nobody can take the device in hand. */
async function use(app: string) {
  const mac = learning.watched!.macs.find(one => connected.value.has(one)) ?? learning.watched!.macs[0]!
  await send('PUT', '/api/gateway/use', { mac, app })
}
function close() {
  learning.end()
  emit('close')
}
function take() {
  emit('learned', chosen.value)
  learning.end()
}
</script>

<template>
  <section class="leaf learn" aria-label="Learn an app">
    <template v-if="!learning.watched">
      <p class="display say">On which device will you use the app?</p>
      <div class="line">
        <USelectMenu v-model="device" value-key="value" :items="devices" placeholder="Device" aria-label="The device to watch" class="min-w-56" />
        <UButton color="primary" variant="solid" :disabled="!device" @click="start">Start watching</UButton>
        <UButton @click="close">Close</UButton>
      </div>
      <p class="soft">{{ away ? `${chosenDevice!.name} is not connected now. Nothing is seen until it is.` : 'Start, use the app there for a minute, then stop. Names that the device does not usually look up are suggested as the app’s.' }}</p>
    </template>
    <template v-else>
      <p class="display say" role="status">{{ running ? `Watching ${name} for ${span}. Use the app there now.` : `${name} was watched for ${span}.` }}</p>
      <div class="line">
        <UButton v-if="running" color="primary" variant="solid" @click="learning.stop()">Stop</UButton>
        <UButton v-else color="primary" variant="solid" :disabled="chosen.length === 0" @click="take">{{ chosen.length === 0 ? 'Choose what belongs to it' : `Create app from ${chosen.length}` }}</UButton>
        <UButton v-if="!running" @click="start()">Watch again</UButton>
        <UButton @click="close">Cancel</UButton>
      </div>
      <p v-if="running && network.gateway!.status && network.gateway!.status.apps.length > 0" class="soft">This network is simulated. Make the device use <template v-for="(app, index) in network.gateway!.status.apps" :key="app">{{ index > 0 ? ' or ' : '' }}<UButton :disabled="busy" @click="use(app)">{{ app }}</UButton></template>.</p>
      <p v-if="trouble || learning.trouble" class="fault" role="alert">{{ trouble || learning.trouble }}</p>
      <p v-if="fresh.length === 0" class="soft">{{ learning.proposals ? `Nothing new yet${usual.length > 0 ? `, only its usual look-ups` : ''}. Devices remember names for a while: close the app there and open it again.` : 'Loading DNS look-ups…' }}</p>
      <ul v-else aria-label="Names it does not usually look up">
        <li v-for="one in fresh" :key="one.domain">
          <UCheckbox :model-value="isTicked(one.domain, false)" :label="shownSite(one.site)" @update:model-value="isOn => ticked.set(one.domain, isOn === true)" />
          <span class="soft">{{ one.names.length > 1 ? `${one.names.length} names, ` : '' }}{{ countWords(one.tries, 'time') }}, {{ timesWords(one.first, one.last) }}</span>
          <span class="soft">{{ othersWords(one.others) }}</span>
        </li>
      </ul>
      <p v-if="usual.length > 0" class="soft"><UButton :aria-expanded="showUsual" @click="showUsual = !showUsual">{{ showUsual ? 'Hide' : 'Show' }} {{ usual.length }} usual {{ plural(usual.length, 'name', 'names') }}</UButton></p>
      <ul v-if="showUsual" aria-label="Names it usually looks up">
        <li v-for="one in usual" :key="one.domain">
          <UCheckbox :model-value="isTicked(one.domain, true)" :label="shownSite(one.site)" @update:model-value="isOn => ticked.set(one.domain, isOn === true)" />
          <span class="soft">{{ countWords(one.tries, 'time') }}</span><span class="soft">{{ othersWords(one.others) }}</span>
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
.learn { padding: 16px 18px; margin: 10px 0 14px; }
.say { font-size: 18px; }
.line { display: flex; flex-wrap: wrap; gap: 8px 16px; align-items: center; margin: 8px 0; }
ul { margin: 10px 0; max-height: 420px; overflow: auto; }
li { display: grid; grid-template-columns: minmax(0, 1.3fr) minmax(0, 1fr) minmax(0, 1fr); gap: 4px 16px; padding: 4px 0; border-top: 1px solid var(--hair); align-items: baseline; }
.fault { color: var(--danger); }
@media (max-width: 760px) { li { grid-template-columns: minmax(0, 1fr); gap: 0; } }
</style>
