<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import { shownSite } from '../../../core/import/site-list.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useLearning } from '../../stores/learning.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { usePlace } from '../../stores/place.ts'
import { countWords } from '../../../core/words/count.ts'
import { clockOf } from '../../text/time.ts'
import { lengthWords } from '../../../core/words/length.ts'
import { sitesText } from '../../text/sites.ts'
import ActButton from '../common/ActButton.vue'
import MarkedText from '../common/MarkedText.vue'

/**
 * Learns what an app asks for: a device is watched while somebody uses the app there, and what it does not
 * look up otherwise is proposed.
 */
const emit = defineEmits<{ learned: [sites: string[]]; close: [] }>()
const [draft, place, gateway, moment, learning] = [
  useDraftPolicy(),
  usePlace(),
  useGateway(),
  useMoment(),
  useLearning(),
]
const { busy, trouble, send } = useDraft()
const device = ref<string | undefined>(learning.watched?.device)
const devices = computed(() =>
  draft.policy.devices
    .filter(({ adapters }) => adapters.length > 0)
    .map(({ id, name }) => ({ value: id, label: name })),
)
const connected = computed(
  () => new Set(gateway.sightings.filter((sighting) => sighting.connected).map(({ mac }) => mac)),
)
const chosenDevice = computed(() => draft.policy.devices.find(({ id }) => id === device.value))
const away = computed(
  () => chosenDevice.value && !chosenDevice.value.adapters.some(({ mac }) => connected.value.has(mac)),
)
const name = computed(
  () => draft.policy.devices.find(({ id }) => id === learning.watched?.device)?.name ?? sitesText.theDevice,
)
const running = computed(() => learning.watched !== null && learning.watched.until === null)
const span = computed(() =>
  learning.watched ? lengthWords((learning.watched.until ?? moment.now) - learning.watched.from) : '',
)
const owners = computed(
  () =>
    new Map(
      draft.policy.devices.flatMap(({ name: owner, adapters }) =>
        adapters.map(({ mac }): [string, string] => [mac, owner]),
      ),
    ),
)
const othersWords = (macs: readonly string[]) => {
  const names = [...new Set(macs.map((mac) => owners.value.get(mac) ?? sitesText.anUnknownDevice))]
  if (names.length === 0) return sitesText.noOtherDevice
  if (names.length <= 2) return sitesText.also(names)
  return sitesText.alsoAndMore(names[0]!, names.length - 1)
}
const fresh = computed(() => learning.proposals?.filter(({ usual }) => !usual) ?? [])
const usual = computed(() => learning.proposals?.filter((proposal) => proposal.usual) ?? [])
const showUsual = ref(false)
/** The names that were ticked or unticked by hand; else the names that are new to the device are chosen. */
const ticked = ref(new Map<string, boolean>())
const isTicked = (site: string, isUsual: boolean) => ticked.value.get(site) ?? !isUsual
const chosen = computed(() =>
  (learning.proposals ?? []).filter((one) => isTicked(one.domain, one.usual)).map(({ site }) => site),
)
watch(
  () => learning.watched?.from,
  () => ticked.value.clear(),
)
const time = (instant: string) => clockOf(readInstant(instant)!, place.zone)
const timesWords = (first: string, last: string) =>
  time(first) === time(last) ? sitesText.atTime(time(first)) : sitesText.fromTo(time(first), time(last))

function start() {
  learning.start(
    device.value!,
    chosenDevice.value!.adapters.map(({ mac }) => mac),
  )
}
/** In a simulated network nobody can take the device in hand. */
async function use(app: string) {
  const mac = learning.watched!.macs.find((one) => connected.value.has(one)) ?? learning.watched!.macs[0]!
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
  <section class="leaf learn" :aria-label="sitesText.learnAnApp">
    <template v-if="!learning.watched">
      <p class="display say">{{ sitesText.whichDevice }}</p>
      <div class="line">
        <USelectMenu
          v-model="device"
          value-key="value"
          :items="devices"
          :placeholder="sitesText.device"
          :aria-label="sitesText.theDeviceToWatch"
          class="min-w-56"
        />
        <ActButton color="primary" variant="solid" :disabled="!device" @click="start">{{
          sitesText.startWatching
        }}</ActButton>
        <ActButton @click="close">{{ sitesText.close }}</ActButton>
      </div>
      <p class="soft">{{ away ? sitesText.notConnected(chosenDevice!.name) : sitesText.howToLearn }}</p>
    </template>
    <template v-else>
      <p class="display say" role="status">
        {{ running ? sitesText.watching(name, span) : sitesText.watched(name, span) }}
      </p>
      <div class="line">
        <ActButton v-if="running" color="primary" variant="solid" @click="learning.stop()">{{
          sitesText.stop
        }}</ActButton>
        <ActButton v-else color="primary" variant="solid" :disabled="chosen.length === 0" @click="take">{{
          chosen.length === 0 ? sitesText.chooseWhatBelongsToIt : sitesText.createAppFrom(chosen.length)
        }}</ActButton>
        <ActButton v-if="!running" @click="start()">{{ sitesText.watchAgain }}</ActButton>
        <ActButton @click="close">{{ sitesText.cancel }}</ActButton>
      </div>
      <p v-if="running && gateway.answered!.status && gateway.answered!.status.apps.length > 0" class="soft">
        <MarkedText v-slot="{ words }" :text="sitesText.simulatedUse(gateway.answered!.status.apps)"
          ><ActButton :disabled="busy" @click="use(words)">{{ words }}</ActButton></MarkedText
        >
      </p>
      <p v-if="trouble || learning.trouble" class="fault" role="alert">{{ trouble || learning.trouble }}</p>
      <p v-if="fresh.length === 0" class="soft">
        {{ learning.proposals ? sitesText.nothingNewYet(usual.length > 0) : sitesText.loadingDnsLookUps }}
      </p>
      <ul v-else :aria-label="sitesText.unusualNames">
        <li v-for="one in fresh" :key="one.domain">
          <UCheckbox
            :model-value="isTicked(one.domain, false)"
            :label="shownSite(one.site)"
            @update:model-value="(isOn) => ticked.set(one.domain, isOn === true)"
          />
          <span class="soft">{{
            sitesText.nameCount(one.names.length, one.tries, timesWords(one.first, one.last))
          }}</span>
          <span class="soft">{{ othersWords(one.others) }}</span>
        </li>
      </ul>
      <p v-if="usual.length > 0" class="soft">
        <ActButton :aria-expanded="showUsual" @click="showUsual = !showUsual">{{
          sitesText.showUsualNames(showUsual, usual.length)
        }}</ActButton>
      </p>
      <ul v-if="showUsual" :aria-label="sitesText.usualNames">
        <li v-for="one in usual" :key="one.domain">
          <UCheckbox
            :model-value="isTicked(one.domain, true)"
            :label="shownSite(one.site)"
            @update:model-value="(isOn) => ticked.set(one.domain, isOn === true)"
          />
          <span class="soft">{{ countWords(one.tries, 'time') }}</span><span class="soft">{{
            othersWords(one.others)
          }}</span>
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
.learn {
  padding: 16px 18px;
  margin: 10px 0 14px;
}
.say {
  font-size: 18px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: center;
  margin: 8px 0;
}
ul {
  margin: 10px 0;
  max-height: 420px;
  overflow: auto;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1.3fr) minmax(0, 1fr) minmax(0, 1fr);
  gap: 4px 16px;
  padding: 4px 0;
  border-top: 1px solid var(--hair);
  align-items: baseline;
}
.fault {
  color: var(--danger);
}
@media (max-width: 760px) {
  li {
    grid-template-columns: minmax(0, 1fr);
    gap: 0;
  }
}
</style>
