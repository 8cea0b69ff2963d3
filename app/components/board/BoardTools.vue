<script setup lang="ts">
import { computed, ref } from 'vue'
import { useHistory } from '../../stores/history.ts'
import { useReview } from '../../stores/review.ts'
import { SORTS, useView } from '../../stores/view.ts'

/** What of the board is shown: the range of time, the order, and which devices. `sections` are the groups that one can choose. */
defineProps<{ sections: readonly string[], shown: number, all: number }>()
const [view, history, review] = [useView(), useHistory(), useReview()]
const STATES = { '': 'all', 'blocked': 'only blocked', 'cut-off': 'cut off', 'listed-only': 'listed only', 'filtered': 'filtered', 'open': 'open' } as const
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
    <span class="spans">
      <button v-for="what in ['day', 'week'] as const" :key="what" type="button" :aria-pressed="view.range === null && view.span === what" @click="view.show(what)">{{ what }}</button>
      <button type="button" aria-label="Earlier" title="Earlier" @click="view.pan(-0.5)">‹</button><button type="button" aria-label="Later" title="Later" @click="view.pan(0.5)">›</button>
      <button type="button" aria-label="Closer" title="Closer (Ctrl and the wheel)" @click="view.zoom(0.5)">+</button><button type="button" aria-label="Farther" title="Farther" @click="view.zoom(2)">−</button>
    </span>
    <button type="button" class="more" :aria-expanded="more" @click="more = !more">{{ more ? 'less' : 'sort, show, compare' }}</button>
    <span class="rest" :class="{ open: more }">
      <label>by <select v-model="view.sort" aria-label="Sort by"><option v-for="sort in SORTS" :key="sort" :value="sort">{{ sort }}</option></select></label>
      <label>show <select v-model="view.state" aria-label="Which state"><option v-for="(word, state) in STATES" :key="state" :value="state">{{ word }}</option></select></label>
      <label v-if="sections.length > 1">of <select v-model="view.group" aria-label="Which group"><option value="">all groups</option><option v-for="section in sections" :key="section" :value="section">{{ section }}</option></select></label>
      <input v-model="view.text" type="search" aria-label="Which devices" placeholder="name or address">
      <button type="button" :aria-pressed="view.asTable" @click="view.asTable = !view.asTable; view.comparing = false">as a table</button>
      <button type="button" :aria-pressed="view.comparing" @click="view.comparing = !view.comparing; view.asTable = false">compare</button>
    </span>
    <span v-if="narrowed" class="soft" role="status">{{ shown }} of {{ all }} <button type="button" class="link" @click="showAll">show all</button></span>
    <label v-if="review.entries.length > 0 || history.draft" class="draft"><input v-model="history.draft" type="checkbox"> as the draft would have it</label>
    <p v-if="history.trouble" class="trouble" role="alert">What was in force before could not be asked for, so the past is shown as of today’s policy. {{ history.trouble }} <button type="button" class="link" @click="history.load()">Try again</button></p>
  </div>
</template>

<style scoped>
.tools { display: flex; flex-wrap: wrap; gap: 6px 14px; align-items: center; font-size: 12.5px; color: var(--soft); margin-bottom: 6px; }
.spans { display: inline-flex; gap: 2px; }
button[aria-pressed], .spans button { cursor: pointer; padding: 1px 7px; border-radius: 3px; color: var(--ink); }
button[aria-pressed=true] { background: var(--leaf); box-shadow: inset 0 -2px var(--needle); }
select { background: transparent; border: 0; border-bottom: 1px solid var(--line); color: var(--ink); padding: 1px 2px; max-width: 190px; }
input[type=search] { background: var(--leaf); border: 1px solid var(--line); border-radius: 99px; padding: 2px 10px; width: 150px; color: var(--ink); }
.draft { cursor: pointer; color: var(--ochre); display: inline-flex; align-items: center; gap: 5px; }
.rest { display: contents; }
.more { display: none; cursor: pointer; text-decoration: underline; text-decoration-color: var(--line); text-underline-offset: 3px; }
@media (max-width: 760px) {
  .more { display: inline; }
  .rest:not(.open) { display: none; }
}
.trouble { flex-basis: 100%; color: var(--needle-text); }
</style>
