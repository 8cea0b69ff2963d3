<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { compiledOf } from '../../../core/decision/compile.ts'
import { subjectOf, type Person } from '../../../core/decision/eras.ts'
import { verdictSpans } from '../../../core/decision/spans.ts'
import { readDestination, type Destination } from '../../../core/destination/destination.ts'
import type { Policy } from '../../../core/policy/types.ts'
import { DAY, readInstant } from '../../../core/time/instant.ts'
import { wordsOf } from '../../composables/useApi.ts'
import { useHistory } from '../../stores/history.ts'
import { useMoment } from '../../stores/moment.ts'
import { useNetwork } from '../../stores/network.ts'
import { lengthWords } from '../../words/time.ts'
import { verdictWords } from '../../words/standing.ts'
import AccessBand from '../band/AccessBand.vue'

/** Whether a device can reach an address or an app at the moment, why, when that would change, and what the gateway saw of it. */
const props = defineProps<{ person: Person, name: string }>()
const [network, moment, history] = [useNetwork(), useMoment(), useHistory()]
const text = ref('')
const policy = shallowRef<Policy | null>(null)
const trouble = ref('')
const minute = computed(() => Math.floor(moment.at / 60) * 60)
const asked = computed(() => text.value.trim() !== '')
let newest = 0
watch([asked, () => history.eras, minute], async ([wanted]) => {
  if (!wanted) return
  const turn = ++newest
  try {
    const found = await history.wholeAt(minute.value)
    // What was asked for a moment that the needle has left is dropped.
    if (turn !== newest) return
    policy.value = found
    trouble.value = ''
  } catch (error) {
    if (turn === newest) trouble.value = wordsOf(error)
  }
})
const compiled = computed(() => policy.value && compiledOf(policy.value))
/** What is asked about: an address, or the names and addresses of an app. */
const targets = computed((): readonly { readonly label: string, readonly destination: Destination }[] | { readonly fault: string } => {
  const said = text.value.trim()
  const app = policy.value?.apps.find(({ name }) => name.toLowerCase() === said.toLowerCase())
  const texts = app ? app.sites.map(site => site.replace(/\/.*$/, '')) : [said]
  const read = texts.map(label => ({ label, destination: readDestination(label) }))
  const bad = read.find(({ destination }) => 'fault' in destination)
  if (bad) return bad.destination as { fault: string }
  return read as { label: string, destination: Destination }[]
})
const verdicts = computed(() => {
  if (!asked.value || !compiled.value || 'fault' in targets.value) return []
  const ready = compiled.value
  const subject = subjectOf(ready, props.person)
  return targets.value.map(({ label, destination }) => ({ label, destination, spans: verdictSpans(ready, subject, destination, minute.value, minute.value + 7 * DAY) }))
})
// What the gateway saw changes every second, the verdicts do not.
const answers = computed(() => {
  return verdicts.value.map(({ label, destination, spans }) => {
    const tries = (network.evidence?.recent ?? []).filter(flow => props.person.macs.includes(flow.mac) && sameHost(flow.to, destination))
    const [last] = tries
    const seen = last ? `Its last try, ${lengthWords(moment.now + (network.gateway?.ahead ?? 0) - readInstant(last.at)!)} ago, ${last.effect === 'block' ? 'was dropped' : 'passed'}.` : 'The gateway saw no try of late.'
    return { label, words: verdictWords(spans, policy.value!, minute.value), seen, band: spans.map(({ from, until, effect }) => ({ from, until, state: effect === 'allow' ? 'open' as const : 'cut-off' as const })) }
  })
})
function sameHost(to: string, { host, address }: Destination): boolean {
  const read = readDestination(to)
  return !('fault' in read) && (host !== null ? read.host === host : address !== null && read.address?.text === address.text)
}
</script>

<template>
  <div class="ask">
    <input v-model="text" :aria-label="`Can ${name} reach …`" placeholder="can it reach … (an address, an app)" spellcheck="false">
    <div v-if="asked" role="status">
      <p v-if="trouble" class="fault">{{ trouble }}</p>
      <p v-else-if="'fault' in targets" class="fault">{{ targets.fault }}</p>
      <div v-for="answer in answers" :key="answer.label" class="answer">
        <p><b v-if="answers.length > 1">{{ answer.label }}: </b><span data-testid="verdict">{{ answer.words }}</span> <span v-if="moment.isNow" class="soft">{{ answer.seen }}</span></p>
        <AccessBand :stretches="answer.band" :from="minute" :until="minute + 7 * DAY" :width="246" :height="10" :label="`When ${answer.label} passes in the seven days that follow`" />
      </div>
    </div>
  </div>
</template>

<style scoped>
.ask { margin-top: 14px; font-size: 12.5px; }
input { width: 100%; background: var(--paper); border: 1px solid var(--line); border-radius: 99px; padding: 4px 12px; color: var(--ink); }
.answer { margin-top: 8px; }
b { font-weight: 600; }
.fault { color: var(--needle-text); margin-top: 6px; }
</style>
