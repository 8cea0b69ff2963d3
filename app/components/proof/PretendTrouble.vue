<script setup lang="ts">
import { ref } from 'vue'
import type { Pretence } from '../../../gateway/protocol.ts'
import { useDraft } from '../../composables/useDraft.ts'

/** Makes the simulated network go wrong for a minute, so that one can see what would be said. */
const { busy, trouble, send } = useDraft()
const ways: { value: Pretence, label: string }[] = [
  { value: 'passes', label: 'what is cut off gets through' }, { value: 'clock-set', label: 'its clock is set' }, { value: 'put-back', label: 'its rules are taken away' },
  { value: 'passed-by', label: 'packets are led past the rules' }, { value: 'upstream', label: 'its upstream does not answer' },
]
const way = ref<Pretence>('passes')
const pretend = () => send('PUT', '/api/gateway/pretend', { trouble: way.value })
</script>

<template>
  <form class="pretend" @submit.prevent="pretend">
    <label for="pretend">This network is simulated. See what is said when, for a minute:</label>
    <select id="pretend" v-model="way"><option v-for="{ value, label } in ways" :key="value" :value="value">{{ label }}</option></select>
    <UButton type="submit" size="sm" variant="outline" color="neutral" :loading="busy">Let it go wrong</UButton>
    <p v-if="trouble" role="alert">{{ trouble }}</p>
  </form>
</template>

<style scoped>
.pretend { display: flex; flex-direction: column; align-items: flex-start; gap: 8px; font-size: 12.5px; color: var(--soft); border-top: 1px solid var(--line); padding-top: 12px; }
select { background: var(--paper); border: 1px solid var(--line); border-radius: 4px; padding: 6px 8px; color: var(--ink); font-size: 13px; width: 100%; }
p { color: var(--needle-text); }
</style>
