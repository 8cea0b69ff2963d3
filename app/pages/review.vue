<script setup lang="ts">
import { HOUR } from '../../core/time/duration.ts'
import { computed, ref } from 'vue'
import type { EntryRef } from '../../core/change/choose.ts'
import type { Entry } from '../../core/change/entries.ts'
import { turnsWithin } from '../../core/change/hours.ts'
import type { GatewayAnswer } from '../../protocol/answers.ts'
import ActButton from '../components/common/ActButton.vue'
import FindingList from '../components/findings/FindingList.vue'
import ChangedWeeks from '../components/review/ChangedWeeks.vue'
import { callApi, wordsOf } from '../composables/useApi.ts'
import { useDraft } from '../composables/useDraft.ts'
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
const { busy: discarding, send, tell } = useDraft()
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

const putLive = () => apply({ note: note.value, later: review.choice!.left })
/** Leads back to the revision before the one that was just applied. */
const goBack = () => apply({ note: '', again: done.value!.number - 1 })
async function apply(body: object) {
  busy.value = true
  trouble.value = ''
  try {
    done.value = await callApi('POST', '/api/revisions', body)
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
/** Each change with its words: whether it is left for later, or goes with another that is. */
const lines = computed(() => {
  const policies = wholes.value ?? { before: live.answer.policy, after: draft.policy }
  const isIn = (refs: readonly EntryRef[], { kind, id }: Entry) =>
    refs.some((ref) => ref.kind === kind && ref.id === id)
  return review.entries.flatMap((entry) =>
    isList(entry) && !wholes.value
      ? []
      : [
          {
            entry,
            key: `${entry.kind} ${entry.id}`,
            words: entryWords(entry, policies.before, policies.after),
            isLater: isIn(review.choice?.left ?? [], entry),
            isAlong: isIn(review.choice?.left ?? [], entry) && !isIn(review.later, entry),
          },
        ],
  )
})
const count = computed(() => review.entries.length - (review.choice?.left.length ?? 0))
async function discard({ kind, id }: Entry) {
  const made = await send<{ step: number | null }>('POST', '/api/draft/discard', { entries: [{ kind, id }] })
  if (made) tell(reviewText.discarded, made.step)
}
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
      {{ ' ' }}
      <ActButton v-if="done.number > 1" :loading="busy" @click="goBack">{{
        reviewText.backTo(done.number - 1)
      }}</ActButton>
      <p v-if="trouble && review.entries.length === 0" class="trouble" role="alert">{{ trouble }}</p>
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
        <b>{{ editsWords(count) }}</b><template v-if="count < review.entries.length">{{
          reviewText.forLater(review.entries.length - count)
        }}</template>
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
            <li v-for="line in lines" :key="line.key" :class="{ later: line.isLater }">
              <span class="words"
                ><span v-for="words in line.words" :key="words">{{ words }}</span
                ><span v-if="line.isAlong" class="soft">{{ reviewText.goesAlong }}</span></span
              >
              <span class="acts"
                ><ActButton
                  v-if="!line.isAlong"
                  size="xs"
                  variant="ghost"
                  :aria-pressed="line.isLater"
                  :aria-label="reviewText.laterOf(line.words[0]!)"
                  @click="review.toggle(line.entry)"
                  >{{ reviewText.later }}</ActButton
                ><ActButton
                  size="xs"
                  variant="ghost"
                  :disabled="discarding"
                  :aria-label="reviewText.discardOf(line.words[0]!)"
                  @click="discard(line.entry)"
                  >{{ reviewText.discard }}</ActButton
                ></span
              >
            </li>
            <li v-if="failed" class="trouble">{{ failed }}</li>
          </ul>
        </div>
        <form class="leaf live" @submit.prevent="putLive">
          <p v-if="review.changes">{{ soon }}</p>
          <label class="above">{{ reviewText.noteOptional }}<UInput v-model="note" maxlength="500" /></label>
          <ActButton
            color="primary"
            variant="solid"
            type="submit"
            size="lg"
            block
            :loading="busy"
            :disabled="count === 0"
            >{{ reviewText.applyChanges }}</ActButton
          >
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
  display: flex;
  justify-content: space-between;
  align-items: start;
  gap: 4px 14px;
  padding: 5px 0;
  border-bottom: 1px solid var(--hair);
}
.words {
  display: flex;
  flex-direction: column;
  gap: 2px;
  min-width: 0;
  padding-top: 3px;
  overflow-wrap: anywhere;
}
.later .words {
  color: var(--soft);
  text-decoration: line-through 1px;
}
.later .words .soft {
  text-decoration: none;
}
.acts {
  display: inline-flex;
  flex: none;
}
.live {
  padding: 16px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
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
