<script setup lang="ts">
import { computed } from 'vue'
import { countsWords } from '../../../core/words/change.ts'
import type { RevisionAnswer } from '../../../protocol/answers.ts'
import { historyText } from '../../text/history.ts'

/** A revision in one line: its number, the counts of what it changed, its note, time and author. */
const { revision } = defineProps<{ revision: RevisionAnswer; when: string; isOpen: boolean }>()
const emit = defineEmits<{ toggle: [] }>()
const changedWords = computed(() => {
  if (revision.number === 1 && !revision.changed) return historyText.first
  // One that only puts entries into another order changes none of them.
  return countsWords(revision.changed ?? {}) || historyText.whatItChanged
})
</script>

<template>
  <button type="button" class="summary" :aria-expanded="isOpen" @click="emit('toggle')">
    <span class="number display">{{ revision.number }}</span>
    <span class="changed">{{ changedWords }}</span>
    <span class="note display">{{ revision.note }}</span>
    <span class="soft when">{{ when }} {{ historyText.by(revision.author) }}</span>
  </button>
</template>

<style scoped>
.summary {
  flex: 1;
  min-width: 0;
  min-height: 36px;
  display: grid;
  grid-template-columns: 28px minmax(0, 2fr) minmax(0, 3fr) auto;
  gap: 2px 16px;
  align-items: baseline;
  padding: 6px 8px;
  text-align: left;
  cursor: pointer;
}
.number {
  color: var(--soft);
}
.changed {
  font-weight: 600;
  text-decoration: underline 1px var(--hair);
  text-underline-offset: 4px;
}
.summary:hover .changed,
.summary[aria-expanded='true'] .changed {
  text-decoration-color: var(--ink);
}
.when {
  font-size: 14px;
}
@media (max-width: 760px) {
  .summary {
    grid-template-columns: 28px minmax(0, 1fr);
    min-height: 44px;
  }
  .summary > :nth-child(n + 3) {
    grid-column: 2;
  }
  .note:empty {
    display: none;
  }
}
</style>
