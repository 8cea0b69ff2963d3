<script setup lang="ts">
import { computed, ref } from 'vue'
import { turnsWithin } from '../../core/change/hours.ts'
import type { GatewayAnswer } from '../../shared/answers.ts'
import FindingList from '../components/findings/FindingList.vue'
import ChangedWeeks from '../components/review/ChangedWeeks.vue'
import { callApi, wordsOf } from '../composables/useApi.ts'
import { useMoment } from '../stores/moment.ts'
import { useNetwork } from '../stores/network.ts'
import { useReview } from '../stores/review.ts'
import { clockTroubles } from '../words/gateway.ts'
import { capital } from '../words/rule.ts'
import { editsWords, effectWords, entryWords, turnWords } from '../words/change.ts'
import { clockOf } from '../words/time.ts'

useHead({ title: 'Kairostat: review' })
const [network, review, moment] = [useNetwork(), useReview(), useMoment()]
const note = ref('')
const busy = ref(false)
const trouble = ref('')
const done = ref<{ number: number, gateway: GatewayAnswer } | null>(null)
/** What to know before it counts: clocks that are wrong, and one's own machine losing access. */
const warnings = computed(() => {
  const own = network.draft!.devices.find(({ adapters }) => network.isYours(adapters.map(({ mac }) => mac)))
  const closes = own && review.changes?.find(change => change.device === own.id && change.closed > 0)
  return [
    ...(network.gateway ? clockTroubles(network.gateway, network.zone) : []).map(words => `${capital(words)}, so these hours would be kept wrongly.`),
    ...closes ? [`You are using ${own.name} right now, and this closes the internet to it at times of the coming week. Kairostat itself stays within reach.`] : [],
  ]
})
const soon = computed(() => turnWords(turnsWithin(review.changes ?? [], review.minute, review.minute + 3600), nameOf, at => at <= moment.now ? 'at once' : `at ${clockOf(at, network.zone)}`))
const nameOf = (id: string) => [...network.draft!.devices, ...network.live!.policy.devices].find(device => device.id === id)?.name ?? network.nameOfMac(id)

async function putLive() {
  busy.value = true
  trouble.value = ''
  try {
    done.value = await callApi('POST', '/api/revisions', { note: note.value })
    note.value = ''
  } catch (error) {
    trouble.value = wordsOf(error)
  } finally {
    busy.value = false
  }
}
const doneWords = computed(() => {
  if (!done.value) return ''
  const { number, gateway } = done.value
  if (gateway.state === 'in-force') return `Revision ${number} is in force. The gateway answered with its digest, ${gateway.status!.digest!.slice(0, 12)}….`
  if (gateway.state === 'away') return `Revision ${number} is live here, but the gateway does not answer. It gets it as soon as it is back; until then what it held before still holds.`
  return `Revision ${number} is live here, but the gateway has not taken it: ${gateway.trouble ?? 'it has not answered yet'}.`
})
</script>

<template>
  <section aria-label="Review">
    <div v-if="done" class="leaf done" role="status"><b class="serif">{{ doneWords }}</b> <NuxtLink to="/" class="link">To the board</NuxtLink></div>
    <template v-if="review.entries.length === 0">
      <h1>The draft says <b>what is live already</b>.</h1>
      <p class="soft">Change a device, some hours or a rule, and it stands here before it counts. What was live before is kept with the <NuxtLink to="/revisions" class="link">revisions</NuxtLink>.</p>
    </template>
    <template v-else>
      <h1><b>{{ editsWords(review.entries.length) }}</b></h1>
      <p class="soft" aria-live="polite">{{ review.changes ? effectWords(review.changes) : 'Working out what they change…' }}</p>
      <p v-if="review.changes" class="soon">{{ soon }}</p>
      <ul class="entries"><li v-for="entry in review.entries" :key="entry.kind + entry.id" class="serif">{{ entryWords(entry) }}</li></ul>
      <FindingList fresh />
      <form class="live" @submit.prevent="putLive">
        <label>A note, if you like<input v-model="note" maxlength="500"></label>
        <UButton type="submit" size="lg" class="px-6" :loading="busy">Put live</UButton>
        <p class="soft">It counts at once and on all devices it names.</p>
      </form>
      <ul v-if="warnings.length > 0" class="warnings" aria-label="Before you put it live"><li v-for="warning in warnings" :key="warning">{{ warning }}</li></ul>
      <p class="trouble" role="alert">{{ trouble }}</p>
      <div v-if="review.changes && review.changes.length > 0" class="bands">
        <h2>Whose coming week changes</h2>
        <ChangedWeeks :changes="review.changes" :from="review.minute" :name-of="nameOf" />
      </div>
    </template>
  </section>
</template>

<style scoped>
.done { padding: 14px 18px; margin-bottom: 18px; border-left: 3px solid var(--deep); }
.done b { font-weight: 500; font-size: 16px; }
.soon { margin-top: 6px; max-width: 92ch; }
.entries { margin: 14px 0; font-size: 16px; }
.entries li { padding: 3px 0; }
.bands { margin: 18px 0; }
h2 { margin-bottom: 10px; }
.live { display: flex; gap: 10px 16px; align-items: end; flex-wrap: wrap; }
label { display: flex; flex-direction: column; gap: 3px; font-size: 12.5px; color: var(--soft); flex: 0 1 320px; }
input { background: var(--leaf); border: 1px solid var(--line); border-radius: 4px; padding: 8px 10px; color: var(--ink); font-size: 14px; }
.warnings { margin-top: 12px; padding-left: 12px; border-left: 3px solid var(--needle); color: var(--needle-text); max-width: 70ch; }
.trouble { color: var(--needle-text); margin-top: 8px; }
</style>
