<script setup lang="ts">
import { computed, ref } from 'vue'
import { covers } from '../../core/time/ranges.ts'
import { timesWithin } from '../../core/decision/candidate.ts'
import { DAY } from '../../core/time/instant.ts'
import RuleEditor from '../components/rules/RuleEditor.vue'
import RuleSentence from '../components/rules/RuleSentence.vue'
import WeekStrip from '../components/rules/WeekStrip.vue'
import { NEW_RULE } from '../components/rules/form.ts'
import { useBoard } from '../stores/board.ts'
import { useMoment } from '../stores/moment.ts'
import { useNetwork } from '../stores/network.ts'
import { countWord } from '../words/standing.ts'
import { whenWords } from '../words/time.ts'

useHead({ title: 'Kairostat: rules' })
const [network, board, moment] = [useNetwork(), useBoard(), useMoment()]
const chosen = ref<string | null>(null)
const minute = computed(() => Math.floor(moment.at / 60) * 60)
const times = computed(() => timesWithin(network.draft!, Math.min(board.week.from, minute.value), Math.max(board.week.until, minute.value + 8 * DAY)))
const rows = computed(() => network.draft!.rules.map((rule) => {
  const ranges = times.value(rule.when)
  const inForce = rule.enabled && covers(ranges, minute.value)
  const next = ranges.find(range => range.from > minute.value)?.from
  const words = !rule.enabled ? 'switched off' : inForce ? 'in force' : next === undefined ? 'not in the coming week' : `from ${whenWords(next, moment.at, network.zone)}`
  return { rule, ranges, inForce, words }
}))
const count = computed(() => rows.value.filter(row => row.inForce).length)
</script>

<template>
  <section aria-label="Rules">
    <div class="head">
      <h1>{{ moment.isNow ? 'Right now' : 'At that moment' }}, <b>{{ countWord(count) }} of {{ rows.length }} rules {{ count === 1 ? 'is' : 'are' }} in force</b>.</h1>
      <UButton size="sm" variant="outline" color="neutral" @click="chosen = 'new'">New rule</UButton>
    </div>
    <p class="soft">They are asked from top to bottom; the first that speaks of a place decides, so an exception stands before the ban.</p>
    <RuleEditor v-if="chosen === 'new'" :rule="NEW_RULE" :is-new="true" @done="chosen = null" />
    <p v-if="rows.length === 0 && chosen !== 'new'" class="empty">There are no rules yet, so everything is open for everyone.</p>
    <ol>
      <li v-for="(row, index) in rows" :key="row.rule.id" :class="{ resting: !row.inForce }">
        <button type="button" class="row" :class="{ chosen: chosen === row.rule.id }" :aria-expanded="chosen === row.rule.id" @click="chosen = chosen === row.rule.id ? null : row.rule.id">
          <span class="number serif">{{ index + 1 }}</span>
          <span class="text"><RuleSentence :rule="row.rule" :policy="network.draft!" /><span class="soft name">{{ row.rule.name }} · {{ row.words }}</span></span>
          <WeekStrip :ranges="row.rule.enabled ? row.ranges : []" :from="board.week.from" :until="board.week.until" :at="moment.at" class="strip" />
        </button>
        <RuleEditor v-if="chosen === row.rule.id" :rule="row.rule" :is-new="false" @done="chosen = null" />
      </li>
    </ol>
  </section>
</template>

<style scoped>
.head { display: flex; flex-wrap: wrap; gap: 8px 20px; align-items: center; justify-content: space-between; }
.empty { margin-top: 16px; }
ol { margin-top: 14px; border-top: 1px solid var(--line); }
li { border-bottom: 1px solid var(--line); }
.row { display: grid; grid-template-columns: 22px minmax(0, 1fr) 210px; gap: 14px; width: 100%; padding: 9px 8px; text-align: left; cursor: pointer; align-items: center; }
.row:hover, .row.chosen { background: var(--leaf); }
.number { font-size: 16px; color: var(--soft); align-self: start; }
.name { display: block; font-size: 12.5px; }
.resting .strip { opacity: 0.55; }
@media (max-width: 760px) {
  .row { grid-template-columns: 22px minmax(0, 1fr); }
  .strip { grid-column: 2; }
}
</style>
