<script setup lang="ts">
import { computed } from 'vue'
import { useNetwork } from '../../stores/network.ts'
import { clockTroubles } from '../../text/gateway.ts'
import { countWords } from '../../text/count.ts'
import { shellText } from '../../text/shell.ts'

const network = useNetwork()
const city = computed(() => network.zone.split('/').at(-1)!.replaceAll('_', ' '))
const line = computed((): { text: string; alarm: boolean } => {
  const gateway = network.gateway
  if (!gateway) return { text: shellText.gatewayContacting, alarm: false }
  if (gateway.state === 'away') return { text: shellText.gatewayAway, alarm: true }
  const [clock] = clockTroubles(gateway, network.zone)
  if (clock) return { text: clock, alarm: true }
  if (gateway.state === 'refused') return { text: shellText.gatewayRefuses, alarm: true }
  const alarms = gateway.status?.alarms.length ?? 0
  if (alarms > 0) return { text: countWords(alarms, 'alarm'), alarm: true }
  return { text: shellText.upToDate, alarm: false }
})
</script>

<template>
  <p class="gateway" role="status">
    {{ shellText.zoneTime(city) }}
    <NuxtLink v-if="line.alarm" to="/activity" class="alarm">{{ line.text }}</NuxtLink><template v-else>{{
      line.text
    }}</template>
  </p>
</template>

<style scoped>
.gateway {
  color: var(--soft);
  font-size: 13px;
}
.alarm {
  color: var(--danger);
  font-weight: 600;
}
</style>
