<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import AccessBand from '../components/band/AccessBand.vue'
import { bandWords } from '../components/band/band.ts'
import BoardAxis from '../components/board/BoardAxis.vue'
import BoardHeadline from '../components/board/BoardHeadline.vue'
import BoardRow from '../components/board/BoardRow.vue'
import DevicePanel from '../components/board/DevicePanel.vue'
import { overridesOf } from '../components/board/overrides.ts'
import { useDecided } from '../composables/useDecider.ts'
import { useWidth } from '../composables/useWidth.ts'
import { useBoard } from '../stores/board.ts'
import { useNetwork } from '../stores/network.ts'
import { clockOf } from '../words/time.ts'

const [network, board] = [useNetwork(), useBoard()]
const route = useRoute()
const chosen = ref(typeof route.query.device === 'string' ? route.query.device : null)
const track = ref<HTMLElement | null>(null)
const width = useWidth(track)

const timelines = useDecided(() => network.live && board.rows.length > 0
  ? { kind: 'timelines' as const, policy: network.live.policy, subjects: board.rows.map(row => row.subject), from: board.axis.from, until: board.axis.until }
  : null)
const lines = computed(() => board.rows.map((row, index) => ({
  row, moment: board.moments[index]!, segments: timelines.value?.[index]?.segments ?? [],
  brackets: overridesOf(network.live!.policy, row.subject).map(override => override.at), heads: row.section !== board.rows[index - 1]?.section,
})))
const panel = computed(() => lines.value.find(line => line.row.key === chosen.value) ?? null)
const clock = (instant: number) => clockOf(instant, network.zone)

watch(() => route.query.device, (device) => {
  if (typeof device === 'string') chosen.value = device
})
watch(chosen, device => navigateTo({ query: device ? { device } : {} }, { replace: true }))

function onArrow(event: KeyboardEvent, by: number) {
  const rows = [...(event.currentTarget as HTMLElement).querySelectorAll<HTMLElement>('button.row')]
  const next = rows[rows.indexOf(document.activeElement as HTMLElement) + by]
  next?.focus()
  if (next) event.preventDefault()
}
</script>

<template>
  <div class="page" :class="{ open: panel }">
    <section aria-label="Board">
      <BoardHeadline />
      <p v-if="board.rows.length === 0" class="empty">No device has been seen yet. As soon as one joins the network, it stands here and among the newcomers of <NuxtLink to="/devices" class="link">Devices</NuxtLink>.</p>
      <div v-else class="board" @keydown.down="onArrow($event, 1)" @keydown.up="onArrow($event, -1)">
        <div ref="track" class="track"><BoardAxis v-if="width > 0" :width="width" /></div>
        <template v-for="line in lines" :key="line.row.key">
          <h2 v-if="line.heads" class="section">{{ line.row.section }}</h2>
          <BoardRow :line="line" :chosen="line.row.key === chosen" @choose="chosen = chosen === line.row.key ? null : line.row.key">
            <AccessBand v-if="width > 0" :stretches="line.segments" :from="board.axis.from" :until="board.axis.until" :width="width" :brackets="line.brackets" :label="bandWords(line.segments, clock)" />
          </BoardRow>
        </template>
      </div>
    </section>
    <DevicePanel v-if="panel" :key="panel.row.key" :row="panel.row" :standing="panel.moment" :today="panel.segments" @close="chosen = null" />
  </div>
</template>

<style scoped>
.page { display: grid; grid-template-columns: minmax(0, 1fr); gap: 28px; align-items: start; }
.page.open { grid-template-columns: minmax(0, 1fr) 290px; }
.board { position: relative; padding-top: 18px; }
.track { position: absolute; inset: 0 0 0 308px; pointer-events: none; }
.section { font: italic 400 14.5px var(--font-serif); padding: 10px 0 2px; }
.empty { max-width: 46ch; }
@media (max-width: 760px) {
  .page.open { grid-template-columns: minmax(0, 1fr); }
  .track { left: 0; }
}
</style>
