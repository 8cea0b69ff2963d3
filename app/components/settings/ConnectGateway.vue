<script setup lang="ts">
import { computed } from 'vue'
import { FIRST } from '../../../protocol/places.ts'
import { PLACE } from '../../model/address.ts'
import { useGateway } from '../../stores/gateway.ts'
import CommandBlock from '../common/CommandBlock.vue'
import ConnectRouter from './ConnectRouter.vue'
import PairGateway from './PairGateway.vue'
import { settingsText } from '../../text/settings/settings.ts'

/** The steps to connect the gateway of a real network. */
const gateway = useGateway()
const isConnected = computed(() => {
  const status = gateway.answered?.status
  return status != null && status.plane !== 'simulated'
})
const STEPS = [
  {
    title: settingsText.onTheRouter,
    words: settingsText.linuxRouter,
    lines: [
      'apt install ./kairostat_*_all.deb',
      "echo 'OPTIONS=--lan br0 --listen unix:/run/kairostat/gateway.sock' >> /etc/kairostat/gateway.conf",
      'systemctl enable --now kairostat-gateway',
    ],
  },
  {
    title: settingsText.kairostatOnTheSameComputer,
    words: settingsText.stopThenStart,
    lines: [
      'echo KAIROSTAT_GATEWAY=unix:/run/kairostat/gateway.sock >> /etc/kairostat/kairostat.conf',
      'systemctl restart kairostat',
    ],
  },
] as const
</script>

<template>
  <section :aria-label="settingsText.connectAGateway">
    <h2>{{ settingsText.connectAGateway }}</h2>
    <p class="soft">{{ settingsText.gatewayIs(isConnected) }}</p>
    <ConnectRouter />
    <PairGateway />
    <ol v-if="PLACE === FIRST">
      <li v-for="step in STEPS" :key="step.title">
        <h3>{{ step.title }}</h3>
        <p class="soft">{{ step.words }}</p>
        <CommandBlock :lines="step.lines.join('\n')" :label="step.title" />
      </li>
    </ol>
    <p class="soft">{{ settingsText.whenConnected }}</p>
  </section>
</template>

<style scoped>
ol {
  margin: 12px 0;
  display: flex;
  flex-direction: column;
  gap: 14px;
}
</style>
