<script setup lang="ts">
import { computed } from 'vue'
import { useGateway } from '../../stores/gateway.ts'
import { usePlace } from '../../stores/place.ts'
import { clockTroubles } from '../../text/gateway.ts'
import { countWords } from '../../../core/words/count.ts'
import { shellText } from '../../text/shell.ts'
import OpenLink from '../common/OpenLink.vue'

const [place, gateway] = [usePlace(), useGateway()]
const city = computed(() => place.zone.split('/').at(-1)!.replaceAll('_', ' '))
const line = computed((): { text: string; alarm: boolean } => {
  const view = gateway.answered
  if (!view) return { text: shellText.gatewayContacting, alarm: false }
  if (view.state === 'none') return { text: shellText.noGateway, alarm: false }
  if (view.state === 'away') return { text: shellText.gatewayAway, alarm: true }
  const [clock] = clockTroubles(view, place.zone)
  if (clock) return { text: clock, alarm: true }
  if (view.state === 'refused') return { text: shellText.gatewayRefuses, alarm: true }
  const alarms = view.status?.alarms.length ?? 0
  if (alarms > 0) return { text: countWords(alarms, 'alarm'), alarm: true }
  return { text: shellText.upToDate, alarm: false }
})
</script>

<template>
  <p class="gateway" role="status">
    {{ shellText.zoneTime(city) }}
    <OpenLink v-if="line.alarm" to="/activity" class="alarm">{{ line.text }}</OpenLink><template v-else>{{
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
