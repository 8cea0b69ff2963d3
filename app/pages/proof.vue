<script setup lang="ts">
import { computed } from 'vue'
import { localText, readInstant } from '../../core/time/instant.ts'
import { useBoard } from '../stores/board.ts'
import { useNetwork } from '../stores/network.ts'

useHead({ title: 'Kairostat: proof' })
const [network, board] = [useNetwork(), useBoard()]
network.readEvidence()
const nameOf = computed(() => new Map(board.rows.flatMap(row => row.macs.map((mac): [string, string] => [mac, row.name]))))
const ruleName = (id: string | null) => id === null ? '' : network.live!.policy.rules.find(rule => rule.id === id)?.name ?? network.live!.policy.overrides.find(override => override.id === id)?.note ?? 'an override'
const time = (instant: string) => localText(readInstant(instant)!, network.zone).slice(11)
const since = computed(() => network.evidence?.since ? time(network.evidence.since) : '')
const dropped = computed(() => network.evidence?.devices.reduce((sum, count) => sum + count.dropped, 0) ?? 0)
const tally = computed(() => [...network.evidence?.devices ?? []].sort((a, b) => b.dropped - a.dropped || b.passed - a.passed))
</script>

<template>
  <section aria-label="Proof">
    <p v-if="network.gateway?.state === 'away'" class="trouble" role="alert">The gateway does not answer. What stands here is the last that it said.</p>
    <h1 v-if="network.evidence">Since {{ since }}, <b>the gateway dropped {{ dropped }} {{ dropped === 1 ? 'try' : 'tries' }}</b>.</h1>
    <h1 v-else>Asking the gateway what it saw…</h1>
    <p class="soft">What it saw and counted itself, by its own clock, from when the policy came into force.</p>
    <p v-if="network.evidence && tally.length === 0" class="empty">It has seen no traffic yet.</p>
    <div v-if="tally.length > 0" class="both">
      <div>
        <h2>The record, newest first</h2>
        <ol>
          <li v-for="(flow, index) in network.evidence!.recent.slice(0, 60)" :key="index" :class="{ dropped: flow.effect === 'block' }">
            <span class="soft">{{ time(flow.at) }}</span><span class="who">{{ nameOf.get(flow.mac) ?? flow.mac }}</span>
            <span class="to">{{ flow.to }}</span><span>{{ flow.effect === 'block' ? `dropped by ${ruleName(flow.because)}` : 'passed' }}</span>
          </li>
        </ol>
      </div>
      <table>
        <caption>By device</caption>
        <thead><tr><th scope="col">Device</th><th scope="col">dropped</th><th scope="col">passed</th></tr></thead>
        <tbody><tr v-for="count in tally" :key="count.mac"><th scope="row">{{ nameOf.get(count.mac) ?? count.mac }}</th><td :class="{ some: count.dropped > 0 }">{{ count.dropped }}</td><td>{{ count.passed }}</td></tr></tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
.trouble { color: var(--needle-text); margin-bottom: 8px; }
.empty { margin-top: 16px; }
.both { display: grid; grid-template-columns: minmax(0, 1fr) 290px; gap: 34px; margin-top: 18px; align-items: start; }
ol { margin-top: 8px; }
li { display: grid; grid-template-columns: 64px 150px minmax(0, 1fr) minmax(0, 0.9fr); gap: 10px; padding: 3px 0; border-top: 1px solid var(--line); font-size: 12.5px; color: var(--soft); }
li.dropped { color: var(--ink); }
li.dropped > :last-child { font-weight: 600; }
.who, .to { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
caption { text-align: left; font: 500 20px var(--font-serif); margin-bottom: 8px; }
table { width: 100%; font-size: 12.5px; border-collapse: collapse; }
th { text-align: left; font-weight: 400; padding: 3px 0; }
thead th { color: var(--soft); }
tbody tr { border-top: 1px solid var(--line); }
td, thead th + th { text-align: right; }
td.some { font-weight: 600; }
@media (max-width: 760px) {
  .both { grid-template-columns: minmax(0, 1fr); }
  li { grid-template-columns: 64px minmax(0, 1fr); }
}
</style>
