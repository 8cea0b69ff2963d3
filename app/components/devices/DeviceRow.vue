<script setup lang="ts">
import { computed } from 'vue'
import { isBlocked } from '../../../core/decision/standing.ts'
import { useFindings } from '../../stores/findings.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { adapterWords, findingWords } from '../../../core/words/device.ts'
import { policyFindingBrief } from '../../text/finding.ts'
import { stateWord } from '../../text/standing.ts'
import { lengthWords } from '../../../core/words/length.ts'
import KindIcon from './KindIcon.vue'
import { DRAGGED } from '../../model/unknown-devices.ts'
import type { DeviceRow } from '../../model/device-rows.ts'
import { addressOf } from '../../composables/useOpened.ts'
import { devicesText } from '../../text/devices.ts'
import { networksText } from '../../text/settings/networks.ts'

/** One line of the list of devices; it can be dragged onto a group. */
const props = defineProps<{ row: DeviceRow; open: boolean }>()
const [draft, moment, findings] = [useDraftPolicy(), useMoment(), useFindings()]
const briefs = computed(() => [
  ...props.row.findings.map((finding) => findingWords(finding, draft.policy).brief),
  ...(findings.about.get(`device:${props.row.device.id}`) ?? []).map((finding) =>
    policyFindingBrief(finding, draft.policy),
  ),
])
const there = computed(() => {
  if (props.row.lastSeen === Infinity) return 'connected'
  return props.row.lastSeen === -Infinity
    ? devicesText.neverSeen
    : devicesText.lastSeenAgo(lengthWords(moment.now - props.row.lastSeen))
})
</script>

<template>
  <RouterLink
    :to="addressOf('/devices', row.device.id)"
    class="row"
    draggable="true"
    :class="{ open }"
    :aria-current="open"
    @dragstart="$event.dataTransfer?.setData(DRAGGED, row.device.id)"
  >
    <KindIcon :kind="row.device.kind" />
    <span class="name"
      >{{ row.device.name }}<small v-if="row.yours" class="yours">{{ devicesText.thisDevice }}</small></span
    >
    <span :class="row.moment && isBlocked(row.moment.state) ? 'blocked' : 'soft'">{{
      row.moment ? stateWord(row.moment) : ''
    }}</span>
    <span class="soft">{{ row.groups || devicesText.noGroup }}</span>
    <span class="soft mac">{{
      row.device.adapters.map(adapterWords).join(', ') || devicesText.noMacAddressYet
    }}</span>
    <span class="soft there">{{ row.network ? networksText.seenThere(there, row.network) : there }}</span>
    <small v-if="briefs.length > 0" class="finding">{{ briefs.join('; ') }}</small>
  </RouterLink>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: var(--device-columns);
  gap: 0 12px;
  width: 100%;
  padding: 7px 8px 7px 6px;
  text-align: left;
  cursor: pointer;
  align-items: center;
}
.row:hover,
.row.open {
  background: var(--leaf);
}
.name {
  font-weight: 600;
}
.yours {
  display: block;
  font: 600 13px var(--font-sans);
  color: var(--danger);
  letter-spacing: 0;
}
.blocked {
  font-weight: 600;
}
.mac {
  font-size: 13px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.finding {
  grid-column: 2 / -1;
  color: var(--warn);
  font-size: 13px;
}
@media (max-width: 760px) {
  .row {
    grid-template-columns: 15px minmax(0, 1fr) auto;
  }
  .row > :nth-child(n + 4) {
    grid-column: 2;
  }
  .mac {
    white-space: normal;
  }
  .there {
    grid-column: 3 !important;
    grid-row: 2;
  }
}
</style>
