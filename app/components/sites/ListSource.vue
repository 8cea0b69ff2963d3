<script setup lang="ts">
import { computed, ref } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import type { SiteList } from '../../../core/policy/types.ts'
import { LIST_HOURS, type GivenSource } from '../../../protocol/list-source.ts'
import { callApi } from '../../composables/useApi.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { useLists } from '../../stores/lists.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { listsText } from '../../text/settings/lists.ts'
import { whenWords } from '../../text/time.ts'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'

/**
 * The source of a list, the outcome of its last refresh, and the changes that wait for review. It takes
 * effect at once.
 */
const props = defineProps<{ list: SiteList }>()
const [lists, moment, place] = [useLists(), useMoment(), usePlace()]
const { busy, trouble, attempt } = useRequest()
const source = computed(() => lists.byList.get(props.list.id) ?? null)
const form = ref<{ -readonly [K in keyof GivenSource]: GivenSource[K] } | null>(null)
const isZone = computed(() => /^dns:/i.test(form.value?.url.trim() ?? ''))
const HOURS = LIST_HOURS.map((value) => ({ value: value as number, label: listsText.every(value) }))
const time = (instant: string) => whenWords(readInstant(instant)!, moment.now, place.zone)
const path = (end: string) => `/api/site-lists/${encodeURIComponent(props.list.id)}/${end}`
const status = computed(() => {
  if (!source.value) return ''
  const { checkedAt, changedAt, change } = source.value
  if (checkedAt === null) return listsText.notAskedYet
  const changed = changedAt && change ? listsText.changed(time(changedAt), change) : listsText.unchanged
  return `${listsText.checked(time(checkedAt))} ${changed}`
})

const more = computed(() => {
  const waiting = source.value?.waiting
  return waiting ? waiting.added + waiting.removed - waiting.sample.length : 0
})

function begin() {
  const { url, hours, share, inside } = source.value ?? { url: '', hours: 24, share: 20, inside: false }
  form.value = { url, hours, share, inside, key: null }
}
const act = (work: () => Promise<unknown>) =>
  attempt(async () => {
    await work()
    await lists.load()
  })
async function save() {
  await act(() => callApi('PUT', path('source'), form.value))
  if (trouble.value === '') form.value = null
}
/** Whether it was asked if the source is really to go. */
const isAsking = ref(false)
async function remove() {
  if (isAsking.value) await act(() => callApi('DELETE', path('source')))
  isAsking.value = !isAsking.value
}
const refresh = () => act(() => callApi('POST', path('refresh')))
const review = (use: boolean) => act(() => callApi('POST', path('review'), { use }))
void attempt(lists.load)
</script>

<template>
  <section class="source" :aria-label="listsText.source">
    <template v-if="form">
      <div class="fields">
        <UFormField :label="listsText.address" class="url"
          ><UInput v-model="form.url" type="url" class="w-full" :placeholder="listsText.addressExample"
        /></UFormField>
        <UFormField :label="listsText.howOften"
          ><SelectField v-model="form.hours" :label="listsText.howOften" :items="HOURS"
        /></UFormField>
        <UFormField :label="listsText.share"
          ><UInput
            :model-value="form.share"
            type="number"
            min="1"
            max="100"
            class="w-24"
            @update:model-value="(share) => (form!.share = Number(share))"
        /></UFormField>
      </div>
      <UFormField v-if="isZone" :label="listsText.key" :help="listsText.keyHow(source?.keyName ?? '')"
        ><UInput
          :model-value="form.key ?? ''"
          class="w-full"
          autocomplete="off"
          spellcheck="false"
          :placeholder="listsText.keyExample"
          @update:model-value="(key) => (form!.key = String(key).trim() === '' ? null : String(key))"
      /></UFormField>
      <UCheckbox v-else v-model="form.inside" :label="listsText.inside" />
      <div class="acts">
        <ActButton :loading="busy" :disabled="form.url.trim() === ''" @click="save">{{
          listsText.save
        }}</ActButton>
        <ActButton variant="ghost" @click="form = null">{{ listsText.cancel }}</ActButton>
      </div>
    </template>
    <template v-else-if="source">
      <p>
        <span class="address">{{ source.url }}</span> <span class="soft">{{ status }}</span>
      </p>
      <div class="acts">
        <ActButton :loading="busy" @click="refresh">{{ listsText.refreshNow }}</ActButton>
        <ActButton :disabled="busy" @click="begin">{{ listsText.change }}</ActButton>
        <ActButton :disabled="busy" variant="ghost" @click="remove">{{
          isAsking ? listsText.removeAnyway : listsText.remove
        }}</ActButton>
      </div>
      <p v-if="source.trouble" class="trouble" role="alert">{{ listsText.notRefreshed(source.trouble) }}</p>
      <div v-if="source.waiting" class="waiting" role="status">
        <p>
          <b>{{ listsText.waits(source.waiting) }}</b> {{ source.waiting.why }}
        </p>
        <ul class="sample soft">
          <li v-for="one in source.waiting.sample" :key="one">{{ one }}</li>
          <li v-if="more > 0">{{ listsText.andMore(more) }}</li>
        </ul>
        <div class="acts">
          <ActButton :disabled="busy" @click="review(true)">{{ listsText.use }}</ActButton>
          <ActButton :disabled="busy" @click="review(false)">{{ listsText.decline }}</ActButton>
        </div>
      </div>
    </template>
    <p v-else>
      <ActButton @click="begin">{{ listsText.add }}</ActButton> <span class="soft">{{ listsText.how }}</span>
    </p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </section>
</template>

<style scoped>
.source {
  flex-basis: 100%;
}
.fields,
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 16px;
  align-items: end;
  margin: 8px 0;
}
.url {
  flex: 1 1 320px;
}
.address {
  font-weight: 600;
  overflow-wrap: anywhere;
}
.waiting {
  border-left: 3px solid var(--warn);
  padding-left: 12px;
  margin: 10px 0;
}
.sample {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  overflow-wrap: anywhere;
  max-height: 6em;
  overflow: auto;
  font-size: 13px;
}
</style>
