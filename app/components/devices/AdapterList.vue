<script setup lang="ts">
import { computed, ref } from 'vue'
import { macFault, mayChange, readMac } from '../../../core/destination/mac.ts'
import { MEDIUMS, type Adapter } from '../../../core/policy/types.ts'
import { readInstant } from '../../../core/time/instant.ts'
import { useMoment } from '../../stores/moment.ts'
import { useNetwork } from '../../stores/network.ts'
import { mediumWord } from '../../text/device.ts'
import { dayWords, lengthWords } from '../../text/time.ts'
import SelectField from '../shell/SelectField.vue'

/** The adapters of a device with what was seen of each; further addresses are typed in any usual notation. */
const adapters = defineModel<readonly Adapter[]>({ required: true })
const [network, moment] = [useNetwork(), useMoment()]
const text = ref('')
const fault = computed(() => {
  if (text.value.trim() === '') return ''
  const mac = readMac(text.value)
  if (mac === null) return `“${text.value.trim()}” is not a valid MAC address. Write it like 02:5e:10:00:00:01.`
  if (adapters.value.some(adapter => adapter.mac === mac)) return 'This device already has this address.'
  return macFault(mac) ?? ''
})
const seen = computed(() => adapters.value.map(({ mac }) => network.sightings.find(sighting => sighting.mac === mac)))
const day = (text: string) => dayWords(readInstant(text)!, moment.now, network.zone)

function add() {
  const mac = readMac(text.value)
  if (mac === null || fault.value !== '') return
  adapters.value = [...adapters.value, { mac, medium: network.sightings.find(sighting => sighting.mac === mac)?.medium ?? 'wifi' }]
  text.value = ''
}
function setMedium(index: number, medium: Adapter['medium']) {
  adapters.value = adapters.value.with(index, { ...adapters.value[index]!, medium })
}
</script>

<template>
  <fieldset class="adapters">
    <legend>Network adapters</legend>
    <ul>
      <li v-for="(adapter, index) in adapters" :key="adapter.mac">
        <b>{{ adapter.mac }}</b>
        <SelectField :model-value="adapter.medium" :label="`How ${adapter.mac} reaches the network`" :items="MEDIUMS.map(medium => ({ value: medium, label: mediumWord(medium) || 'other' }))" @update:model-value="medium => setMedium(index, medium)" />
        <span class="soft about">
          <template v-if="seen[index]">{{ [seen[index].hostName, seen[index].maker, ...seen[index].addresses].filter(Boolean).join(', ') }}; first seen {{ day(seen[index].firstSeen) }}, {{ seen[index].connected ? 'connected now' : `last seen ${lengthWords(moment.now - readInstant(seen[index].lastSeen)!)} ago` }}</template>
          <template v-else>never seen</template>
          <em v-if="mayChange(adapter.mac)" title="A private MAC address: many phones change theirs by themselves"> private address, may change</em>
        </span>
        <UButton :aria-label="`Remove ${adapter.mac}`" @click="adapters = adapters.toSpliced(index, 1)">Remove</UButton>
      </li>
    </ul>
    <div class="more">
      <UInput v-model="text" aria-label="Another MAC address" class="w-72" placeholder="Another MAC address, in any notation" spellcheck="false" :aria-invalid="fault !== ''" @keydown.enter.prevent="add" />
      <UButton :disabled="text.trim() === '' || fault !== ''" @click="add">Add</UButton>
      <span v-if="fault" class="fault" role="alert">{{ fault }}</span>
    </div>
  </fieldset>
</template>

<style scoped>
.adapters { flex-basis: 100%; }
legend { font-size: 13px; color: var(--soft); }
li { display: grid; grid-template-columns: auto auto minmax(0, 1fr) auto; gap: 4px 12px; align-items: baseline; padding: 4px 0; border-top: 1px solid var(--hair); }
b { font-weight: 500; }
.about { font-size: 13px; }
.about em { color: var(--warn); font-style: normal; }
.more { display: flex; flex-wrap: wrap; gap: 8px; align-items: center; margin-top: 6px; }
.fault { color: var(--danger); }
@media (max-width: 760px) { li { grid-template-columns: minmax(0, 1fr) auto; } .about { grid-column: 1; grid-row: 2; } }
</style>
