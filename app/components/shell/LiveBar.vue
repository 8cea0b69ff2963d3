<script setup lang="ts">
import { computed } from 'vue'
import { useDraft } from '../../composables/useDraft.ts'
import { useReview } from '../../stores/review.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useLive } from '../../stores/live.ts'
import { usePlace } from '../../stores/place.ts'
import { editsWords, effectWords } from '../../../core/words/change.ts'
import { clockOf, whenWords } from '../../text/time.ts'
import { useMoment } from '../../stores/moment.ts'
import { readInstant } from '../../../core/time/instant.ts'
import { shellText } from '../../text/shell.ts'
import ActButton from '../common/ActButton.vue'

const route = useRoute()
const { walk } = useDraft()
const [draft, live, place, gateway, review, moment] = [
  useDraftPolicy(),
  useLive(),
  usePlace(),
  useGateway(),
  useReview(),
  useMoment(),
]
/** Edits wait, and the page is not the one that shows them anyway. */
const waiting = computed(() => review.entries.length > 0 && route.path !== '/review')
const revision = computed(() => live.answered?.revision ?? null)
const standing = computed(() => {
  const view = gateway.answered
  if (!live.answered) return shellText.loadingLive
  if (!revision.value) return shellText.nothingApplied
  const name = shellText.revision(revision.value.number)
  // The live policy and the report of the gateway arrive apart: an earlier confirmation is none of this
  // one.
  const isEarlier = view?.state === 'in-force' && view.status?.digest !== live.answer.digest
  if (view?.state === 'pending' && view.trouble) return shellText.notTakenYet(name, view.trouble)
  if (!view || view.state === 'pending' || isEarlier) return shellText.beingSent(name)
  if (view.state === 'none') return shellText.waitingForGateway(name)
  if (view.state === 'away') return shellText.waiting(name)
  if (view.state === 'refused') return shellText.refused(name, view.trouble ?? '')
  const since = view.status?.inForceSince
    ? whenWords(readInstant(view.status.inForceSince)!, moment.now, place.zone)
    : clockOf(moment.now, place.zone)
  return shellText.liveSince(name, since)
})
</script>

<template>
  <footer class="bar">
    <template v-if="waiting">
      <b>{{ editsWords(review.entries.length) }}</b>
      <span class="soft effect">{{
        review.changes ? effectWords(review.changes) : shellText.calculatingTheEffect
      }}</span>
    </template>
    <NuxtLink
      to="/history"
      :class="waiting ? 'sr-only' : 'soft'"
      data-testid="standing"
      :title="gateway.answered?.status?.digest ?? undefined"
      >{{ standing }}</NuxtLink
    >
    <span class="go">
      <template v-for="to in ['undo', 'redo'] as const" :key="to"
        ><ActButton v-if="draft.steps[to] !== null" :title="draft.steps.titles[to]" @click="walk(to)"
          ><span class="what"
            >{{ shellText[to]
            }}<span v-if="draft.steps.titles[to]" class="about">: {{ draft.steps.titles[to] }}</span></span
          ></ActButton
        ></template
      >
      <ActButton v-if="waiting" color="primary" variant="solid" to="/review" class="review px-4">{{
        shellText.reviewChanges
      }}</ActButton>
    </span>
  </footer>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 4px 14px;
  flex-wrap: wrap;
  border-top: 1px solid var(--hair);
  padding: 8px 0;
  min-height: 52px;
  font-size: 14px;
}
.what {
  max-width: 220px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.go {
  margin-left: auto;
  display: flex;
  gap: 6px;
}
@media (max-width: 760px) {
  .bar {
    padding: 6px 0 8px;
  }
  .effect,
  .about {
    display: none;
  }
}
</style>
