<script setup lang="ts">
import { refDebounced, useIntervalFn } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { ENTRY_KINDS } from '../../core/policy/kinds.ts'
import { FIRST, pagesOf, type FoundEntry, type PlaceSummary } from '../../protocol/places.ts'
import AddPlace from '../components/places/AddPlace.vue'
import PlaceLine from '../components/places/PlaceLine.vue'
import { callApi } from '../composables/useApi.ts'
import { useListed } from '../composables/useListed.ts'
import { useRequest } from '../composables/useRequest.ts'
import { attentionOf, ENTRY_PATHS } from '../model/places.ts'
import { useMe } from '../stores/me.ts'
import { placesText } from '../text/places.ts'

useHead({ title: placesText.pageTitle })
/** The time between two questions for the places, and the time that a search waits for more letters. */
const [AGAIN_MS, PAUSE_MS] = [5000, 250]
const me = useMe()
const { answer: places, trouble, act } = useListed<readonly PlaceSummary[]>('/api/places')
useIntervalFn(() => void act(), AGAIN_MS)
const mayAdd = computed(() => me.places.find(({ id }) => id === FIRST)?.role === 'administrator')

const blocked = computed(() => places.value?.reduce((sum, place) => sum + place.blocked, 0) ?? 0)
const urgent = computed(() => places.value?.filter(attentionOf).length ?? 0)
const sum = computed(() => {
  const unconnected = places.value?.filter(({ gateway }) => gateway === 'none').length ?? 0
  const parts = [
    urgent.value > 0 ? placesText.needAttention(urgent.value) : '',
    unconnected > 0 ? placesText.unconnected(unconnected) : '',
  ].filter(Boolean)
  return parts.join(' ') || placesText.allWell
})
const text = ref('')
const typed = refDebounced(text, PAUSE_MS)
const { trouble: searchTrouble, attempt } = useRequest()
const found = shallowRef<readonly FoundEntry[] | null>(null)
watch(typed, async (now) => {
  const query = new URLSearchParams({ text: now.trim() })
  const entries =
    now.trim() === ''
      ? null
      : await attempt(() => callApi<FoundEntry[]>('GET', `/api/places/search?${query}`))
  if (now === typed.value) found.value = entries
})
const nameOf = (id: string) => me.places.find((place) => place.id === id)?.name ?? id
/** Those that need somebody come first; what is typed keeps those that are called so. */
const shown = computed(() => {
  const part = text.value.trim().toLowerCase()
  const called = (places.value ?? []).filter(({ name }) => name.toLowerCase().includes(part))
  const all = part === '' || called.length > 0 ? called : (places.value ?? [])
  return [...all.filter(attentionOf), ...all.filter((place) => !attentionOf(place))]
})
</script>

<template>
  <section :aria-label="placesText.title">
    <h1 v-if="places">
      {{ placesText.headline(places.length) }}<b>{{ placesText.blockedNow(blocked) }}</b
      >.
    </h1>
    <h1 v-else>{{ placesText.title }}</h1>
    <p v-if="places" class="soft">{{ sum }}</p>
    <p v-else-if="!trouble" class="soft" role="status">{{ placesText.loading }}</p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <UInput
      v-model="text"
      type="search"
      class="search"
      :aria-label="placesText.search"
      :placeholder="placesText.searchExample"
      maxlength="200"
    />
    <p v-if="searchTrouble" class="trouble" role="alert">{{ searchTrouble }}</p>
    <div v-if="found" class="found" role="status">
      <p class="soft">{{ placesText.found(found.length) }}</p>
      <ul>
        <li v-for="one in found" :key="`${one.place} ${one.kind} ${one.id}`">
          <a
            :href="`${pagesOf(one.place)}${ENTRY_PATHS[one.kind]}${encodeURIComponent(one.id)}`"
            class="link"
            >{{ one.name }}</a
          >
          <span class="soft">{{ placesText.atPlace(ENTRY_KINDS[one.kind].word, nameOf(one.place)) }}</span>
        </li>
      </ul>
    </div>
    <ol v-if="places" :aria-label="placesText.title">
      <PlaceLine
        v-for="place in shown"
        :key="place.id"
        :place="place"
        :may-remove="mayAdd && place.id !== FIRST"
        @removed="act()"
      />
    </ol>
    <AddPlace v-if="mayAdd && places?.length" :time-zone="places[0]!.timeZone" />
  </section>
</template>

<style scoped>
.search {
  width: min(420px, 100%);
  margin: 14px 0 6px;
}
.found {
  padding: 4px 8px 10px;
}
.found li {
  display: flex;
  gap: 12px;
  padding: 3px 0;
}
ol {
  border-top: 1px solid var(--hair);
  margin-top: 8px;
}
</style>
