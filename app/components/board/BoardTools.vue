<script setup lang="ts">
import { computed, ref } from 'vue'
import { useHistory } from '../../stores/history.ts'
import { useReview } from '../../stores/review.ts'
import { SORTS, useView } from '../../stores/view.ts'

/** What of the board is shown: the range of time, the order, and which devices. `sections` are the groups that one can choose. */
defineProps<{ sections: readonly string[], shown: number, all: number }>()
const [view, history, review] = [useView(), useHistory(), useReview()]
const SPANS = { day: 'Day', week: 'Week' } as const
const STATES = { '': 'All states', 'blocked': 'blocked', 'cut-off': 'blocked entirely', 'listed-only': 'listed sites only', 'filtered': 'partly blocked', 'open': 'allowed' } as const
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
    <span class="segments">
      <button v-for="(label, what) in SPANS" :key="what" type="button" :aria-pressed="view.range === null && view.span === what" @click="view.show(what)">{{ label }}</button>
    </span>
    <span class="segments">
      <button type="button" aria-label="Earlier" title="Earlier" @click="view.pan(-0.5)">‹</button><button type="button" aria-label="Later" title="Later" @click="view.pan(0.5)">›</button>
      <button type="button" aria-label="Closer" title="Closer (Ctrl and the wheel)" @click="view.zoom(0.5)">+</button><button type="button" aria-label="Farther" title="Farther" @click="view.zoom(2)">−</button>
    </span>
    <button type="button" class="link more" :aria-expanded="more" @click="more = !more">{{ more ? 'Less' : 'Filter and sort' }}</button>
    <span class="rest" :class="{ open: more }">
      <select v-if="sections.length > 1" v-model="view.group" aria-label="Which group"><option value="">All groups</option><option v-for="section in sections" :key="section" :value="section">{{ section }}</option></select>
      <select v-model="view.state" aria-label="Which state"><option v-for="(word, state) in STATES" :key="state" :value="state">{{ word }}</option></select>
      <input v-model="view.text" type="search" aria-label="Which devices" placeholder="Find a device">
      <select v-model="view.sort" aria-label="Sort by"><option v-for="sort in SORTS" :key="sort" :value="sort">by {{ sort }}</option></select>
      <span class="segments">
        <button type="button" :aria-pressed="view.asTable" @click="view.asTable = !view.asTable; view.comparing = false">Table</button>
        <button type="button" :aria-pressed="view.comparing" @click="view.comparing = !view.comparing; view.asTable = false">Compare</button>
      </span>
    </span>
    <span v-if="review.entries.length > 0 || history.draft" class="segments" role="group" aria-label="Which policy">
      <button type="button" :aria-pressed="!history.draft" @click="history.draft = false">Live</button>
      <button type="button" :aria-pressed="history.draft" @click="history.draft = true">Draft</button>
    </span>
    <span v-if="narrowed" class="soft" role="status">{{ shown }} of {{ all }} <button type="button" class="link" @click="showAll">Show all</button></span>
    <p v-if="history.trouble" class="trouble" role="alert">Earlier policies could not be loaded, so the past is shown by today’s policy. {{ history.trouble }} <button type="button" class="link" @click="history.load()">Try again</button></p>
  </div>
</template>

<style scoped>
.tools { display: flex; flex-wrap: wrap; gap: 8px 10px; align-items: center; font-size: 14px; margin-bottom: 10px; }
select { max-width: 132px; }
input[type=search] { width: 116px; }
.rest { display: contents; }
.more { display: none; }
@media (max-width: 760px) {
  .more { display: inline-flex; min-height: 34px; }
  .rest:not(.open) { display: none; }
}
.trouble { flex-basis: 100%; }
</style>
