<script setup lang="ts">
import { computed, ref } from 'vue'
import { useHistory } from '../../stores/history.ts'
import { useReview } from '../../stores/review.ts'
import { SORTS, useView } from '../../stores/view.ts'
import SelectField from '../shell/SelectField.vue'

/** What of the board is shown: the range of time, the order, and which devices. `sections` are the groups that one can choose. */
defineProps<{ sections: readonly string[], shown: number, all: number }>()
const [view, history, review] = [useView(), useHistory(), useReview()]
const SPANS = { day: 'Day', week: 'Week' } as const
const STATES = [
  { value: '', label: 'All states' }, { value: 'blocked', label: 'blocked' }, { value: 'cut-off', label: 'blocked entirely' }, { value: 'listed-only', label: 'listed sites only' },
  { value: 'filtered', label: 'partly blocked' }, { value: 'open', label: 'allowed' },
] as const
/** On a narrow screen the rest of the tools is shown on request: the bands come first there. */
const more = ref(false)
const narrowed = computed(() => view.text !== '' || view.state !== '' || view.group !== '')
function showAll() {
  view.text = ''
  view.state = ''
  view.group = ''
}
</script>

<template>
  <div class="tools" role="group" aria-label="What the board shows">
    <UFieldGroup>
      <UButton v-for="(label, what) in SPANS" :key="what" :aria-pressed="view.range === null && view.span === what" @click="view.show(what)">{{ label }}</UButton>
    </UFieldGroup>
    <UFieldGroup>
      <UButton aria-label="Earlier" title="Earlier" @click="view.pan(-0.5)">‹</UButton><UButton aria-label="Later" title="Later" @click="view.pan(0.5)">›</UButton>
      <UButton aria-label="Closer" title="Closer (Ctrl and the wheel)" @click="view.zoom(0.5)">+</UButton><UButton aria-label="Farther" title="Farther" @click="view.zoom(2)">−</UButton>
    </UFieldGroup>
    <UButton class="more" :aria-expanded="more" @click="more = !more">{{ more ? 'Less' : 'Filter and sort' }}</UButton>
    <span class="rest" :class="{ open: more }">
      <SelectField v-if="sections.length > 1" v-model="view.group" label="Which group" :items="[{ value: '', label: 'All groups' }, ...sections.map(section => ({ value: section, label: section }))]" />
      <SelectField v-model="view.state" label="Which state" :items="STATES" />
      <UInput v-model="view.text" type="search" aria-label="Which devices" class="w-32" placeholder="Find a device" />
      <SelectField v-model="view.sort" label="Sort by" :items="SORTS.map(sort => ({ value: sort, label: `by ${sort}` }))" />
      <UFieldGroup>
        <UButton :aria-pressed="view.asTable" @click="view.asTable = !view.asTable; view.comparing = false">Table</UButton>
        <UButton :aria-pressed="view.comparing" @click="view.comparing = !view.comparing; view.asTable = false">Compare</UButton>
      </UFieldGroup>
    </span>
    <UFieldGroup v-if="review.entries.length > 0 || history.draft" role="group" aria-label="Which policy">
      <UButton :aria-pressed="!history.draft" @click="history.draft = false">Live</UButton>
      <UButton :aria-pressed="history.draft" @click="history.draft = true">Draft</UButton>
    </UFieldGroup>
    <span v-if="narrowed" class="soft" role="status">{{ shown }} of {{ all }} <UButton @click="showAll">Show all</UButton></span>
    <p v-if="history.trouble" class="trouble" role="alert">Earlier policies could not be loaded, so the past is shown by today’s policy. {{ history.trouble }} <UButton @click="history.load()">Try again</UButton></p>
  </div>
</template>

<style scoped>
.tools { display: flex; flex-wrap: wrap; gap: 8px 10px; align-items: center; font-size: 14px; margin-bottom: 10px; }
.rest { display: contents; }
.more { display: none; }
@media (max-width: 760px) {
  .more { display: inline-flex; }
  .rest:not(.open) { display: none; }
}
.trouble { flex-basis: 100%; }
</style>
