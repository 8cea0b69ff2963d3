<script setup lang="ts">
import { computed } from 'vue'
import { useNetwork } from '../../stores/network.ts'
import { clockTroubles } from '../../words/gateway.ts'

const network = useNetwork()
const city = computed(() => network.zone.split('/').at(-1)!.replaceAll('_', ' '))
const line = computed((): { text: string, alarm: boolean } => {
  const gateway = network.gateway
  if (!gateway) return { text: 'asking the gateway', alarm: false }
  if (gateway.state === 'away') return { text: 'the gateway does not answer', alarm: true }
  const [clock] = clockTroubles(gateway, network.zone)
  if (clock) return { text: clock, alarm: true }
  if (gateway.state === 'refused') return { text: 'the gateway refuses the policy', alarm: true }
  const alarms = gateway.status?.alarms.length ?? 0
  if (alarms > 0) return { text: `the gateway raises ${alarms === 1 ? 'an alarm' : `${alarms} alarms`}`, alarm: true }
  return { text: gateway.status?.plane === 'simulated' ? 'simulated gateway in step' : 'gateway in step', alarm: false }
})
</script>

<template>
  <p class="gateway" role="status">
    {{ city }} time, <NuxtLink v-if="line.alarm" to="/proof" class="alarm">{{ line.text }}</NuxtLink><template v-else>{{ line.text }}</template>
  </p>
</template>

<style scoped>
.gateway { color: var(--soft); font-size: 12.5px; }
.alarm { color: var(--needle-text); font-weight: 600; }
</style>
