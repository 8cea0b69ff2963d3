<script setup lang="ts">
import { computed } from 'vue'
import { useDraft } from '../../composables/useDraft.ts'
import { useReview } from '../../stores/review.ts'
import { useNetwork } from '../../stores/network.ts'
import { editsWords, effectWords } from '../../text/change.ts'
import { clockOf, whenWords } from '../../text/time.ts'
import { useMoment } from '../../stores/moment.ts'
import { readInstant } from '../../../core/time/instant.ts'

const route = useRoute()
const { walk } = useDraft()
const [network, review, moment] = [useNetwork(), useReview(), useMoment()]
/** Edits wait, and the page is not the one that shows them anyway. */
const waiting = computed(() => review.entries.length > 0 && route.path !== '/review')
const revision = computed(() => network.live?.revision ?? null)
const standing = computed(() => {
  const gateway = network.gateway
  if (!revision.value) return 'Nothing is applied yet, so nothing is blocked.'
  const name = `Revision ${revision.value.number}`
  if (!gateway || gateway.state === 'pending') return `${name} is being sent to the gateway.`
  if (gateway.state === 'away') return `${name} is waiting: the gateway does not answer.`
  if (gateway.state === 'refused') return `The gateway refuses ${name}: ${gateway.trouble}. The earlier rules still apply.`
  const since = gateway.status?.inForceSince ? whenWords(readInstant(gateway.status.inForceSince)!, moment.now, network.zone) : clockOf(moment.now, network.zone)
  return `${name} is live since ${since}, confirmed by the gateway.`
})
</script>

<template>
  <footer class="bar">
    <template v-if="waiting">
      <b>{{ editsWords(review.entries.length) }}</b>
      <span class="soft effect">{{ review.changes ? effectWords(review.changes) : 'Calculating the effect…' }}</span>
    </template>
    <NuxtLink to="/history" :class="waiting ? 'sr-only' : 'soft'" data-testid="standing" :title="network.gateway?.status?.digest ?? undefined">{{ standing }}</NuxtLink>
    <span class="go">
      <UButton v-if="network.steps.undo !== null" @click="walk('undo')">Undo</UButton>
      <UButton v-if="network.steps.redo !== null" @click="walk('redo')">Redo</UButton>
      <UButton v-if="waiting" color="primary" variant="solid" to="/review" class="review px-4">Review changes</UButton>
    </span>
  </footer>
</template>

<style scoped>
.bar { display: flex; align-items: center; gap: 4px 14px; flex-wrap: wrap; border-top: 1px solid var(--hair); padding: 8px 0; min-height: 52px; font-size: 14px; }
.go { margin-left: auto; display: flex; gap: 6px; }
@media (max-width: 760px) {
  .bar { padding: 6px 0 8px; }
  .effect { display: none; }
}
</style>
