<script setup lang="ts">
import { computed, reactive, ref } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import type { AskingAnswer } from '../../../protocol/answers.ts'
import { ASK_MINUTES } from '../../../protocol/request.ts'
import { callApi } from '../../composables/useApi.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useLive } from '../../stores/live.ts'
import { useMe } from '../../stores/me.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { useRequests } from '../../stores/requests.ts'
import { requestText } from '../../text/requests.ts'
import { whenWords } from '../../text/time.ts'
import { lengthWords } from '../../../core/words/length.ts'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'

/** The devices that ask for more time: one act grants it or declines. */
const [requests, live, gateway, me, moment, place] = [
  useRequests(),
  useLive(),
  useGateway(),
  useMe(),
  useMoment(),
  usePlace(),
]
const toast = useToast()
const { busy, trouble, attempt } = useRequest()
/** For how many minutes each request would be granted, by its id, where somebody chose. */
const chosen = reactive(new Map<string, number>())
const most = computed(() => me.limit?.minutes ?? Infinity)
const minutesOf = ({ id, minutes }: AskingAnswer) => chosen.get(id) ?? Math.min(minutes, most.value)
function lengthsFor({ minutes }: AskingAnswer) {
  const all = new Set([...ASK_MINUTES, minutes].filter((one) => one <= most.value))
  if (most.value < minutes) all.add(most.value)
  return [...all]
    .sort((a, b) => a - b)
    .map((value) => ({ value, label: requestText.forLength(lengthWords(value * 60)) }))
}
/** The requests before *Show all*: the board stays in sight. */
const FEW = 3
const showsAll = ref(false)
const nameOf = ({ device, mac }: AskingAnswer) =>
  live.answer.policy.devices.find(({ id }) => id === device)?.name ?? gateway.nameOfMac(mac)
// One more is shown rather than counted.
const shown = computed(() =>
  showsAll.value || requests.waiting.length <= FEW + 1 ? requests.waiting : requests.waiting.slice(0, FEW),
)
const rows = computed(() =>
  shown.value.map((request) => ({
    ...request,
    name: nameOf(request),
    words: request.words,
    facts: requestText.asks(
      lengthWords(request.minutes * 60),
      whenWords(readInstant(request.at)!, moment.now, place.zone),
    ),
  })),
)
const answer = (request: AskingAnswer, minutes: number | null) =>
  attempt(async () => {
    try {
      await callApi('PUT', `/api/requests/${encodeURIComponent(request.id)}`, { minutes })
      const name = nameOf(request)
      const title =
        minutes === null ? requestText.declined(name) : requestText.granted(name, lengthWords(minutes * 60))
      toast.add({ title })
    } finally {
      // Somebody else may have answered.
      await requests.load()
    }
  })
</script>

<template>
  <section v-if="rows.length > 0 || trouble" class="leaf asking" :aria-label="requestText.title">
    <h2>{{ requestText.count(requests.waiting.length) }}</h2>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <ul>
      <li v-for="row in rows" :key="row.id">
        <div class="who">
          <NuxtLink v-if="row.device" :to="{ query: { device: row.device } }" class="name">{{
            row.name
          }}</NuxtLink>
          <span v-else class="name">{{ row.name }}</span>
          <span class="soft">{{ row.facts }}</span>
          <q v-if="row.words">{{ row.words }}</q>
        </div>
        <div class="acts">
          <SelectField
            :model-value="minutesOf(row)"
            :label="requestText.howLong(row.name)"
            :items="lengthsFor(row)"
            @update:model-value="(minutes: number) => chosen.set(row.id, minutes)"
          />
          <ActButton
            :loading="busy"
            :aria-label="requestText.grantTo(row.name, lengthWords(minutesOf(row) * 60))"
            @click="answer(row, minutesOf(row))"
            >{{ requestText.grant }}</ActButton
          >
          <ActButton
            variant="ghost"
            :disabled="busy"
            :aria-label="requestText.declineOf(row.name)"
            @click="answer(row, null)"
            >{{ requestText.decline }}</ActButton
          >
        </div>
      </li>
    </ul>
    <ActButton
      v-if="requests.waiting.length > FEW + 1"
      variant="ghost"
      class="more"
      :aria-expanded="showsAll"
      @click="showsAll = !showsAll"
      >{{ showsAll ? requestText.fewer : requestText.more(requests.waiting.length - FEW) }}</ActButton
    >
  </section>
</template>

<style scoped>
.asking {
  padding: 14px 18px;
  margin: 4px 0 16px;
}
h2 {
  font-size: 16px;
}
li {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 8px 20px;
  align-items: center;
  padding: 8px 0;
  border-top: 1px solid var(--hair);
}
li:first-child {
  border: 0;
}
.who {
  min-width: 0;
  flex: 1 1 260px;
  overflow-wrap: anywhere;
}
.name {
  font-weight: 650;
  margin-right: 8px;
}
q {
  display: block;
}
.more {
  margin: 4px 0 0 -8px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
</style>
