<script setup lang="ts">
import { DAY } from '../../../core/time/duration.ts'
import { computed, onScopeDispose, ref, watch } from 'vue'
import { instantText, readInstant } from '../../../core/time/instant.ts'
import type { Lookup } from '../../../protocol/gateway/gateway.ts'
import type { LookupsAnswer } from '../../../protocol/answers.ts'
import { callApi, wordsOf } from '../../composables/useApi.ts'
import { useBoard } from '../../stores/board.ts'
import { useMoment } from '../../stores/moment.ts'
import { useGateway } from '../../stores/gateway.ts'
import { usePlace } from '../../stores/place.ts'
import { whenWords } from '../../text/time.ts'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'
import { activityText } from '../../text/activity.ts'
import MarkedText from '../common/MarkedText.vue'

/** The search in the look-ups until the moment; while the moment is now, new ones are added. */
const [place, gateway, board, moment] = [usePlace(), useGateway(), useBoard(), useMoment()]
/** The time between two questions while the moment is now. */
const ASK_EVERY_MS = 5000
const text = ref('')
const who = ref('')
const OUTCOMES = [
  { value: '', label: activityText.allOutcomes },
  { value: 'block', label: activityText.blocked },
  { value: 'allow', label: activityText.allowed },
] as const
const effect = ref<'' | 'block' | 'allow'>('')
const runs = ref<readonly Lookup[] | null>(null)
const more = ref(false)
const trouble = ref('')
const setting = computed(() => gateway.answered?.status?.settings.lookups)
const macs = computed(() => board.rows.find(({ key }) => key === who.value)?.macs ?? [])
const nameOf = computed(
  () => new Map(board.rows.flatMap((row) => row.macs.map((mac): [string, string] => [mac, row.name]))),
)
const until = computed(() => (moment.isNow ? null : Math.floor(moment.at)))
let asked = 0
async function ask(skip = 0) {
  const turn = ++asked
  const query = new URLSearchParams({
    text: text.value,
    macs: macs.value.join(','),
    effect: effect.value,
    until: instantText(until.value ?? Math.floor(Date.now() / 1000) + DAY),
    skip: String(skip),
  })
  try {
    const answer = await callApi<LookupsAnswer>('GET', `/api/lookups/search?${query}`)
    if (turn !== asked) return
    runs.value = skip > 0 ? [...(runs.value ?? []), ...answer.runs] : answer.runs
    more.value = answer.more
    trouble.value = ''
  } catch (error) {
    if (turn === asked) trouble.value = wordsOf(error)
  }
}
watch([text, who, effect, until], () => void ask(), { immediate: true })
// Whoever looks further back is not taken to the front again.
const timer = setInterval(() => {
  if (moment.isNow && (runs.value?.length ?? 0) <= 200) void ask()
}, ASK_EVERY_MS)
onScopeDispose(() => clearInterval(timer))
const headline = computed(() => {
  if (setting.value && !setting.value.kept) return activityText.lookupsNotStored
  if (runs.value === null) return activityText.loadingLookups
  if (runs.value.length === 0)
    return text.value || who.value || effect.value
      ? activityText.noMatchingLookups
      : activityText.noLookupsYet
  return moment.isNow
    ? activityText.lookupsNewestFirst
    : activityText.lookupsUntil(whenWords(moment.at, moment.now, place.zone))
})
const when = (instant: string) => whenWords(readInstant(instant)!, moment.at, place.zone)
</script>

<template>
  <section class="search" :aria-label="activityText.lookups">
    <h2 id="look-ups">{{ headline }}</h2>
    <p v-if="setting && !setting.kept" class="soft">
      <MarkedText v-slot="{ words }" :text="activityText.youCanChangeThatIn"
        ><NuxtLink to="/settings/usage" class="link">{{ words }}</NuxtLink></MarkedText
      >
    </p>
    <form v-else role="search" @submit.prevent="ask()">
      <UInput
        v-model="text"
        type="search"
        :aria-label="activityText.partOfAName"
        :placeholder="activityText.partOfAName"
        maxlength="253"
      />
      <SelectField
        v-model="who"
        :label="activityText.device"
        :items="[
          { value: '', label: activityText.allDevices },
          ...board.rows.map((row) => ({ value: row.key, label: row.name })),
        ]"
      />
      <SelectField v-model="effect" :label="activityText.outcome" :items="OUTCOMES" />
    </form>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <ol v-if="runs && runs.length > 0" tabindex="0" aria-labelledby="look-ups">
      <li
        v-for="run in runs"
        :key="`${run.mac} ${run.name} ${run.effect} ${run.first}`"
        :class="{ closed: run.effect === 'block' }"
      >
        <span class="soft">{{ when(run.last) }}</span><span class="who">{{
          nameOf.get(run.mac) ?? run.mac
        }}</span
        ><span class="name">{{ run.name }}</span>
        <span>{{ run.effect === 'block' ? activityText.blocked : '' }}</span><span class="soft times">{{
          activityText.timesFrom(run.tries, when(run.first))
        }}</span>
      </li>
    </ol>
    <ActButton v-if="more" @click="ask(runs!.length)">{{ activityText.showEarlier }}</ActButton>
  </section>
</template>

<style scoped>
.search {
  margin-top: 26px;
}
form {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 8px;
}
ol {
  margin: 10px 0;
  max-height: 420px;
  overflow-y: auto;
}
li {
  display: grid;
  grid-template-columns: 118px 150px minmax(0, 1fr) 46px 170px;
  gap: 10px;
  padding: 3px 0;
  border-top: 1px solid var(--hair);
  font-size: 13px;
  color: var(--soft);
}
li.closed {
  color: var(--ink);
}
li.closed > :nth-child(4) {
  font-weight: 600;
}
.who,
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.times {
  text-align: right;
}
@media (max-width: 760px) {
  li {
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  }
  .times {
    text-align: left;
  }
}
</style>
