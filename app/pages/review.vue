<script setup lang="ts">
import { HOUR } from '../../core/time/duration.ts'
import { computed, ref } from 'vue'
import { entriesBetween, type Entry } from '../../core/change/entries.ts'
import { turnsWithin } from '../../core/change/hours.ts'
import type { GatewayAnswer } from '../../protocol/answers.ts'
import FindingList from '../components/findings/FindingList.vue'
import ChangedWeeks from '../components/review/ChangedWeeks.vue'
import { callApi, wordsOf } from '../composables/useApi.ts'
import { useLoaded, wholePolicy } from '../composables/wholePolicy.ts'
import { useMoment } from '../stores/moment.ts'
import { useDraftPolicy } from '../stores/draft.ts'
import { useGateway } from '../stores/gateway.ts'
import { useLive } from '../stores/live.ts'
import { usePlace } from '../stores/place.ts'
import { useReview } from '../stores/review.ts'
import { clockTroubles } from '../text/gateway.ts'
import { editsWords, effectWords, entryWords, turnWords } from '../../core/words/change.ts'
import { clockOf } from '../text/time.ts'
import { networkFinder } from '../../protocol/everybody.ts'
import { networksText } from '../text/settings/networks.ts'
import { reviewText } from '../text/review.ts'
import MarkedText from '../components/common/MarkedText.vue'

useHead({ title: reviewText.pageTitle })
const [draft, live, place, gateway, review, moment] = [
  useDraftPolicy(),
  useLive(),
  usePlace(),
  useGateway(),
  useReview(),
  useMoment(),
]
const note = ref('')
const busy = ref(false)
const trouble = ref('')
const done = ref<{ number: number; gateway: GatewayAnswer } | null>(null)
/** The warnings before applying: wrong clocks, and one's own device that loses access. */
const warnings = computed(() => {
  const own = draft.policy.devices.find(({ adapters }) => gateway.isYours(adapters.map(({ mac }) => mac)))
  const closes = own && review.changes?.find((change) => change.device === own.id && change.closed > 0)
  return [
    ...(gateway.answered ? clockTroubles(gateway.answered, place.zone) : []).map((words) =>
      reviewText.wrongTime(words),
    ),
    ...(closes ? [reviewText.ownDevice(own.name)] : []),
  ]
})
const soon = computed(() =>
  turnWords(turnsWithin(review.changes ?? [], review.from, review.from + HOUR), nameOf, (at) =>
    at <= moment.now ? reviewText.atOnce : reviewText.atTime(clockOf(at, place.zone)),
  ),
)
const nameOf = (id: string) =>
  [...draft.policy.devices, ...live.answer.policy.devices].find((device) => device.id === id)?.name ??
  gateway.nameOfMac(id)
const networkFor = computed(() => networkFinder(draft.policy, gateway.sightings))
/** The name with the network by which the device is judged. */
const nameThere = (id: string) => {
  const device = draft.policy.devices.find((one) => one.id === id)
  const network = networkFor.value(device ? device.adapters.map(({ mac }) => mac) : [id])
  return network ? networksText.onNetwork(nameOf(id), network.name) : nameOf(id)
}

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
/**
 * Both policies, with the sites of long lists where a list changed: until they are here, the rest is told.
 */
const isList = ({ kind, change }: Entry) => kind === 'siteList' && change === 'changed'
const { loaded: wholes, failed } = useLoaded(
  () => (review.entries.some(isList) ? { before: live.answer.policy, after: draft.policy } : null),
  async ({ before, after }) => ({ before: await wholePolicy(before), after: await wholePolicy(after) }),
)
const lines = computed(() => {
  if (review.entries.some(isList) && wholes.value) {
    const { before, after } = wholes.value
    return entriesBetween(before, after).flatMap((entry) => entryWords(entry, before, after))
  }
  const others = review.entries.filter((entry) => !isList(entry))
  return others.flatMap((entry) => entryWords(entry, live.answer.policy, draft.policy))
})
const doneWords = computed(() => {
  if (!done.value) return ''
  const { number, gateway } = done.value
  if (gateway.state === 'in-force') return reviewText.confirmed(number, gateway.status!.digest!.slice(0, 12))
  if (gateway.state === 'none') return reviewText.savedNoGateway(number)
  if (gateway.state === 'away') return reviewText.savedGatewayAway(number)
  return reviewText.savedNotAccepted(number, gateway.trouble ?? reviewText.notAnsweredYet)
})
</script>

<template>
  <section :aria-label="reviewText.review">
    <div v-if="done" class="leaf done" role="status">
      <b>{{ doneWords }}</b> <NuxtLink to="/" class="link">{{ reviewText.showTheBoard }}</NuxtLink>
    </div>
    <template v-if="review.entries.length === 0">
      <h1><MarkedText :text="reviewText.noChanges" /></h1>
      <p class="soft">
        <MarkedText v-slot="{ words }" :text="reviewText.noChangesWhy"
          ><NuxtLink to="/history" class="link">{{ words }}</NuxtLink></MarkedText
        >
      </p>
    </template>
    <template v-else>
      <h1>
        <b>{{ editsWords(review.entries.length) }}</b>
      </h1>
      <p class="soft effect" aria-live="polite">
        {{ review.changes ? effectWords(review.changes) : reviewText.calculatingTheEffect }}
      </p>
      <div class="sides">
        <div class="left">
          <ul v-if="warnings.length > 0" class="warnings" :aria-label="reviewText.beforeYouApply">
            <li v-for="warning in warnings" :key="warning">{{ warning }}</li>
          </ul>
          <FindingList fresh />
          <ul class="entries" :aria-label="reviewText.changes">
            <li v-for="line in lines" :key="line">{{ line }}</li>
            <li v-if="failed" class="trouble">{{ failed }}</li>
          </ul>
        </div>
        <form class="leaf live" @submit.prevent="putLive">
          <p v-if="review.changes">{{ soon }}</p>
          <label>{{ reviewText.noteOptional }}<UInput v-model="note" maxlength="500" /></label>
          <UButton color="primary" variant="solid" type="submit" size="lg" block :loading="busy">{{
            reviewText.applyChanges
          }}</UButton>
          <p class="soft">{{ reviewText.takesEffectAtOnce }}</p>
          <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
        </form>
      </div>
      <div v-if="review.changes && review.changes.length > 0" class="bands">
        <h2>{{ reviewText.devicesWhoseWeekChanges }}</h2>
        <ChangedWeeks :changes="review.changes" :from="review.from" :name-of="nameThere" />
      </div>
    </template>
  </section>
</template>

<style scoped>
.done {
  padding: 14px 18px;
  margin-bottom: 18px;
}
.sides {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 320px;
  gap: 20px 32px;
  align-items: start;
  margin-top: 14px;
}
.entries {
  margin-top: 12px;
}
.entries li {
  padding: 5px 0;
  border-bottom: 1px solid var(--hair);
}
.live {
  padding: 16px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
label {
  display: flex;
  flex-direction: column;
  gap: 3px;
  font-size: 13px;
  color: var(--soft);
}
.warnings {
  margin-bottom: 10px;
  padding: 10px 14px;
  border-radius: 8px;
  background: var(--warn-paper);
  color: var(--warn-ink);
}
.bands {
  margin: 24px 0;
}
h2 {
  margin-bottom: 10px;
}
@media (max-width: 760px) {
  /* What comes when the effect is known moves nothing. */
  .effect {
    min-height: 4.6em;
  }
  .sides {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
