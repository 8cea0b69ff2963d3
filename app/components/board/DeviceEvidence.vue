<script setup lang="ts">
import { isAnswering } from '../../../protocol/gateway/gateway.ts'
import { computed } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import { NOTHING, plus } from '../../../protocol/gateway/evidence.ts'
import { useMoment } from '../../stores/moment.ts'
import { useGateway } from '../../stores/gateway.ts'
import { usePlace } from '../../stores/place.ts'
import { trafficWords } from '../../text/gateway.ts'
import { clockOf } from '../../text/time.ts'
import { lengthWords } from '../../../core/words/length.ts'
import { boardText } from '../../text/board.ts'
import MarkedText from '../common/MarkedText.vue'

/** The counts of the gateway for the addresses of a device. */
const props = defineProps<{ macs: readonly string[] }>()
const [place, gateway, moment] = [usePlace(), useGateway(), useMoment()]
gateway.readEvidence()
const counts = computed(() => gateway.evidence?.devices.filter(({ mac }) => props.macs.includes(mac)) ?? [])
const passed = computed(() => counts.value.reduce((sum, count) => plus(sum, count.passed), NOTHING))
const dropped = computed(() => counts.value.reduce((sum, count) => plus(sum, count.dropped), NOTHING))
const last = computed(
  () => counts.value.flatMap(({ lastDrop }) => lastDrop ?? []).sort((a, b) => (a.at < b.at ? 1 : -1))[0],
)
// The gateway's clock may be ahead of ours: what it saw is dated by its own.
const ago = computed(() =>
  last.value ? lengthWords(moment.now + (gateway.answered?.ahead ?? 0) - readInstant(last.value.at)!) : '',
)
const since = computed(() =>
  gateway.evidence?.since ? clockOf(readInstant(gateway.evidence.since)!, place.zone) : '',
)
</script>

<template>
  <p class="evidence" data-testid="evidence">
    <template v-if="gateway.answered && !isAnswering(gateway.answered.state)">{{
      boardText.activityUnknown
    }}</template>
    <template v-else-if="!gateway.evidence">{{ boardText.loadingActivity }}</template>
    <template v-else-if="passed.packets + dropped.packets === 0">{{ boardText.sawNothing(since) }}</template>
    <template v-else>
      <MarkedText v-if="last" v-slot="{ words }" :text="boardText.lastDrop(ago, last.to)"
        ><span>{{ words }}</span></MarkedText
      >
      {{ boardText.droppedAndPassed(since, trafficWords(dropped), trafficWords(passed)) }}
    </template>
  </p>
</template>

<style scoped>
.evidence {
  color: var(--soft);
  font-size: 13px;
  margin-top: 14px;
  overflow-wrap: anywhere;
}
span {
  color: var(--ink);
}
</style>
