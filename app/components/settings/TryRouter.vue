<script setup lang="ts">
import { computed, ref } from 'vue'
import { MINUTE } from '../../../core/time/duration.ts'
import { useOverride } from '../../composables/useOverride.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useLive } from '../../stores/live.ts'
import { routerText } from '../../text/settings/router.ts'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'

/** Blocks a chosen device for a minute, and shows what the router drops of it. */
const [gateway, live] = [useGateway(), useLive()]
gateway.readEvidence()
const { busy, make } = useOverride()
const owners = computed(
  () =>
    new Map(
      live.answer.policy.devices.flatMap(({ name, adapters }) => adapters.map(({ mac }) => [mac, name])),
    ),
)
const choices = computed(() =>
  gateway.sightings
    .filter(({ connected, yours }) => connected && !yours)
    .map(({ mac }) => ({ value: mac, label: owners.value.get(mac) ?? gateway.nameOfMac(mac) })),
)
const chosen = ref('')
const mac = computed(() => chosen.value || (choices.value[0]?.value ?? ''))
const nameOf = (one: string) => owners.value.get(one) ?? gateway.nameOfMac(one)
const droppedOf = (one: string) =>
  gateway.evidence?.devices.find((device) => device.mac === one)?.dropped.packets ?? 0
/** The device that was blocked, and its dropped packets by then. */
const tried = ref<{ mac: string; before: number } | null>(null)
async function block() {
  tried.value = { mac: mac.value, before: droppedOf(mac.value) }
  await make(
    'block',
    { devices: [], groups: [], macs: [mac.value] },
    { from: null, lasts: MINUTE, until: null },
    routerText.tried(nameOf(mac.value)),
  )
}
const outcome = computed(() => {
  if (!tried.value) return ''
  return routerText.dropped(nameOf(tried.value.mac), droppedOf(tried.value.mac) - tried.value.before)
})
</script>

<template>
  <div v-if="choices.length > 0" role="group" :aria-label="routerText.tryIt">
    <p class="line">
      {{ routerText.tryWhat }}
      <SelectField
        :model-value="mac"
        :label="routerText.device"
        :items="choices"
        @update:model-value="(value) => (chosen = value)"
      />
      <ActButton :loading="busy" @click="block">{{ routerText.block }}</ActButton>
    </p>
    <p v-if="outcome" role="status">
      <b>{{ outcome }}</b>
    </p>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
</style>
