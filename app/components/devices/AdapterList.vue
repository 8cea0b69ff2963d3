<script setup lang="ts">
import { computed, ref } from 'vue'
import { macFault, mayChange, readMac } from '../../../core/destination/mac.ts'
import type { Adapter, Medium } from '../../../core/policy/types.ts'
import { readInstant } from '../../../core/time/instant.ts'
import { useMoment } from '../../stores/moment.ts'
import { useGateway } from '../../stores/gateway.ts'
import { usePlace } from '../../stores/place.ts'
import { MEDIUM_CHOICES } from '../../../core/words/device.ts'
import { dayWords } from '../../text/time.ts'
import { lengthWords } from '../../../core/words/length.ts'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'
import { devicesText } from '../../text/devices.ts'

/** The adapters of a device with what was seen of each; further addresses are typed in any usual notation. */
const adapters = defineModel<readonly Adapter[]>({ required: true })
const [place, gateway, moment] = [usePlace(), useGateway(), useMoment()]
const text = ref('')
const fault = computed(() => {
  if (text.value.trim() === '') return ''
  const mac = readMac(text.value)
  if (mac === null) return devicesText.notAMacAddress(text.value.trim())
  if (adapters.value.some((adapter) => adapter.mac === mac)) return devicesText.alreadyHasAddress
  return macFault(mac) ?? ''
})
const seen = computed(() =>
  adapters.value.map(({ mac }) => gateway.sightings.find((sighting) => sighting.mac === mac)),
)
const day = (text: string) => dayWords(readInstant(text)!, moment.now, place.zone)

function add() {
  const mac = readMac(text.value)
  if (mac === null || fault.value !== '') return
  adapters.value = [
    ...adapters.value,
    { mac, medium: gateway.sightings.find((sighting) => sighting.mac === mac)?.medium ?? 'wifi' },
  ]
  text.value = ''
}
function setMedium(index: number, medium: Adapter['medium']) {
  adapters.value = adapters.value.with(index, { ...adapters.value[index]!, medium })
}
</script>

<template>
  <fieldset class="adapters">
    <legend>{{ devicesText.networkAdapters }}</legend>
    <ul>
      <li v-for="(adapter, index) in adapters" :key="adapter.mac">
        <b>{{ adapter.mac }}</b>
        <SelectField
          :model-value="adapter.medium"
          :label="devicesText.mediumOf(adapter.mac)"
          :items="MEDIUM_CHOICES"
          @update:model-value="(medium: Medium) => setMedium(index, medium)"
        />
        <span class="soft about">
          <template v-if="seen[index]">{{
            devicesText.adapterSeen(
              [seen[index].hostName, seen[index].maker, ...seen[index].addresses].filter(Boolean).join(', '),
              day(seen[index].firstSeen),
              lengthWords(moment.now - readInstant(seen[index].lastSeen)!),
              seen[index].connected,
            )
          }}</template>
          <template v-else>{{ devicesText.neverSeen }}</template>
          {{ ' ' }}
          <em v-if="mayChange(adapter.mac)" :title="devicesText.privateAddressWhy">{{
            devicesText.privateAddressMayChange
          }}</em>
        </span>
        <ActButton
          :aria-label="devicesText.removeAdapter(adapter.mac)"
          @click="adapters = adapters.toSpliced(index, 1)"
          >{{ devicesText.remove }}</ActButton
        >
      </li>
    </ul>
    <div class="more">
      <UInput
        v-model="text"
        :aria-label="devicesText.anotherMacAddress"
        class="w-72"
        :placeholder="devicesText.anotherMacAddressHint"
        spellcheck="false"
        :aria-invalid="fault !== ''"
        @keydown.enter.prevent="add"
      />
      <ActButton :disabled="text.trim() === '' || fault !== ''" @click="add">{{ devicesText.add }}</ActButton>
      <span v-if="fault" class="fault" role="alert">{{ fault }}</span>
    </div>
  </fieldset>
</template>

<style scoped>
.adapters {
  flex-basis: 100%;
}
li {
  display: grid;
  grid-template-columns: auto auto minmax(0, 1fr) auto;
  gap: 4px 12px;
  align-items: baseline;
  padding: 4px 0;
  border-top: 1px solid var(--hair);
}
b {
  font-weight: 500;
}
.about {
  font-size: 13px;
}
.about em {
  color: var(--warn);
  font-style: normal;
}
.more {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-top: 6px;
}
.fault {
  color: var(--danger);
}
@media (max-width: 760px) {
  li {
    grid-template-columns: minmax(0, 1fr) auto;
  }
  .about {
    grid-column: 1;
    grid-row: 2;
  }
}
</style>
