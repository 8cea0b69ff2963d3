<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import type { Policy } from '../../../core/policy/types.ts'
import { readInstant } from '../../../core/time/instant.ts'
import type { GatewayAnswer, RevisionAnswer } from '../../../protocol/answers.ts'
import ActButton from '../../components/common/ActButton.vue'
import RevisionLine from '../../components/review/RevisionLine.vue'
import HistoryParts from '../../components/review/HistoryParts.vue'
import OverrideHistory from '../../components/review/OverrideHistory.vue'
import { useLoaded, wholePolicy } from '../../composables/wholePolicy.ts'
import PolicyDifference from '../../components/review/PolicyDifference.vue'
import PolicyFile from '../../components/review/PolicyFile.vue'
import { callApi, wordsOf } from '../../composables/useApi.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useLive } from '../../stores/live.ts'
import { usePlace } from '../../stores/place.ts'
import { useReview } from '../../stores/review.ts'
import { clockOf, dayWords } from '../../text/time.ts'
import SelectField from '../../components/common/SelectField.vue'
import { historyText } from '../../text/history.ts'
import MarkedText from '../../components/common/MarkedText.vue'

useHead({ title: historyText.pageTitle })
const [draft, live, place, moment, review] = [
  useDraftPolicy(),
  useLive(),
  usePlace(),
  useMoment(),
  useReview(),
]
const { tell, send, busy, trouble } = useDraft()
const toast = useToast()
const list = shallowRef<readonly RevisionAnswer[] | null>(null)
const policies = shallowRef<ReadonlyMap<number, Policy>>(new Map())
const failed = ref('')
/** The number of changes of the draft that are not live. */
const waiting = computed(() => review.entries.length)
/** The two that are compared: a revision's number, or 0 for the draft. */
const sides = computed(() => [
  ...(list.value ?? []).map(({ number }) => ({ value: number, label: historyText.revision(number) })),
  { value: 0, label: historyText.theDraft },
])
/** The revision that is open, and the two that are compared beneath its line. */
const opened = ref<{ number: number; before: number; after: number } | null>(null)
/** Opens a revision on what it changed, the first one on what differs from the draft, or closes it. */
function toggle(number: number, previous: number | undefined) {
  const sides = previous === undefined ? { before: number, after: 0 } : { before: previous, after: number }
  opened.value = opened.value?.number === number ? null : { number, ...sides }
}

/** The revision that is asked about once more before it is applied again. */
const asked = ref<number | null>(null)
/** Whether the draft is set to it, too: else the next changes that are applied bring back what it undoes. */
const setsDraft = ref(true)
function ask(number: number) {
  asked.value = number
  setsDraft.value = true
}

async function loadRevisions() {
  try {
    list.value = await callApi('GET', '/api/revisions')
    failed.value = ''
  } catch (error) {
    failed.value = wordsOf(error)
  }
}
watch(() => live.answered?.digest, loadRevisions, { immediate: true })
watch(
  opened,
  async (shown) => {
    for (const number of shown ? [shown.before, shown.after] : []) {
      if (number === 0 || policies.value.has(number)) continue
      const policy = await askFor(number)
      if (policy) policies.value = new Map([...policies.value, [number, policy]])
    }
  },
  { deep: true },
)
async function askFor(number: number): Promise<Policy | null> {
  try {
    return await callApi<Policy>('GET', `/api/revisions/${number}`)
  } catch (error) {
    failed.value = wordsOf(error)
    return null
  }
}
const { loaded: wholeDraft } = useLoaded(() => (opened.value ? draft.answered : null), wholePolicy)
const policyOf = (number: number) => (number === 0 ? wholeDraft.value : (policies.value.get(number) ?? null))
const pair = computed(() => {
  const [before, after] = opened.value ? [policyOf(opened.value.before), policyOf(opened.value.after)] : []
  return before && after ? { before, after } : null
})
const when = (text: string) =>
  `${dayWords(readInstant(text)!, moment.now, place.zone)}, ${clockOf(readInstant(text)!, place.zone)}`
const headline = computed(() => {
  if (list.value === null) return failed.value ? historyText.revisionsUnknown : historyText.loadingRevisions
  const [latest] = list.value
  return latest
    ? historyText.liveRevision(latest.number, when(latest.createdAt), latest.author)
    : historyText.nothingApplied
})
async function putAgain(number: number) {
  const done = await send<{ number: number; gateway: GatewayAnswer }>('POST', '/api/revisions', {
    note: historyText.revisionAgain(number),
    again: number,
  })
  asked.value = null
  if (!done) return
  toast.add({ title: historyText.restored(number, done.number, done.gateway.state === 'in-force') })
  if (setsDraft.value) await takeIn(number)
}
async function takeIn(number: number) {
  const policy = policies.value.get(number) ?? (await askFor(number))
  const made =
    policy && (await send<{ step: number | null }>('PUT', '/api/draft', { ...policy, overrides: [] }))
  if (made) tell(made.step === null ? historyText.draftSame : historyText.draftIsRevision(number), made.step)
}
</script>

<template>
  <section :aria-label="historyText.revisions">
    <h1>
      <b>{{ headline }}</b>
    </h1>
    <HistoryParts />
    <p v-if="failed || trouble" class="trouble" role="alert">{{ failed || trouble }}</p>
    <p v-if="list === null && failed">
      <ActButton @click="loadRevisions">{{ historyText.tryAgain }}</ActButton>
    </p>
    <ol v-if="list">
      <li v-for="(revision, index) in list" :key="revision.number">
        <div class="row">
          <RevisionLine
            :revision="revision"
            :when="when(revision.createdAt)"
            :is-open="opened?.number === revision.number"
            @toggle="toggle(revision.number, list[index + 1]?.number)"
          />
          <ActButton v-if="index > 0" :disabled="busy" @click="ask(revision.number)">{{
            historyText.restore
          }}</ActButton>
        </div>
        <div v-if="asked === revision.number" class="leaf ask" role="alert">
          <p>{{ historyText.restoreEffect(revision.number) }}</p>
          <UCheckbox
            v-model="setsDraft"
            :label="historyText.setsDraft"
            :description="setsDraft ? historyText.draftReplaced(waiting) : historyText.draftKept"
          />
          <ActButton color="primary" variant="solid" :loading="busy" @click="putAgain(revision.number)">{{
            historyText.restoreNow
          }}</ActButton>
          {{ ' ' }}
          <ActButton variant="ghost" @click="asked = null">{{ historyText.cancel }}</ActButton>
        </div>
        <section
          v-if="opened?.number === revision.number"
          :aria-label="historyText.comparison"
          class="leaf compared"
        >
          <p class="acts">
            <ActButton @click="opened = { number: revision.number, before: revision.number, after: 0 }">{{
              historyText.compareWithDraft
            }}</ActButton>
            <ActButton :disabled="busy" @click="takeIn(revision.number)">{{
              historyText.editAsDraft
            }}</ActButton>
          </p>
          <h2>
            <MarkedText v-slot="{ index: side }" :text="historyText.fromTo">
              <SelectField
                v-if="side === 0"
                v-model="opened.before"
                :label="historyText.compareFrom"
                :items="sides"
              />
              <SelectField v-else v-model="opened.after" :label="historyText.compareTo" :items="sides" />
            </MarkedText>
          </h2>
          <PolicyDifference v-if="pair" :before="pair.before" :after="pair.after" />
          <p v-else class="soft" role="status">{{ historyText.loadingBothRevisions }}</p>
        </section>
      </li>
    </ol>
    <OverrideHistory v-if="live.answered && list" />
    <PolicyFile />
  </section>
</template>

<style scoped>
ol {
  border-top: 1px solid var(--hair);
  margin-top: 14px;
}
li {
  border-bottom: 1px solid var(--hair);
}
.row {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 4px 8px 4px 0;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
}
.ask > * + * {
  margin-top: 10px;
}
.ask {
  padding: 12px 14px;
  margin: 0 0 8px 44px;
}
.compared {
  padding: 14px 18px;
  margin-bottom: 12px;
}
.compared h2 {
  margin-top: 12px;
}
@media (max-width: 760px) {
  h1 {
    min-height: 60px;
  }
  .ask {
    margin-left: 0;
  }
}
</style>
