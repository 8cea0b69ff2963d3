<script setup lang="ts">
import { ref } from 'vue'
import type { Pretence } from '../../../gateway/protocol.ts'
import { useDraft } from '../../composables/useDraft.ts'
import SelectField from '../shell/SelectField.vue'

/** Makes the simulated network go wrong for a minute, so that one can see what would be said. */
const { busy, trouble, send } = useDraft()
const ways: { value: Pretence, label: string }[] = [
  { value: 'passes', label: 'a blocked device gets through' }, { value: 'clock-set', label: 'the clock is changed' }, { value: 'put-back', label: 'the rules are removed' },
  { value: 'passed-by', label: 'packets bypass the rules' }, { value: 'upstream', label: 'the DNS resolver does not answer' },
]
const way = ref<Pretence>('passes')
const pretend = () => send('PUT', '/api/gateway/pretend', { trouble: way.value })
</script>

<template>
  <form class="pretend" @submit.prevent="pretend">
    <span>Simulated network: try out an alarm for a minute.</span>
    <SelectField v-model="way" label="Simulated network: try out an alarm for a minute." :items="ways" class="w-full" />
    <UButton type="submit" :loading="busy">Try it</UButton>
    <p v-if="trouble" role="alert">{{ trouble }}</p>
  </form>
</template>

<style scoped>
.pretend { display: flex; flex-direction: column; align-items: flex-start; gap: 8px; font-size: 13px; color: var(--soft); border-top: 1px solid var(--hair); padding-top: 12px; }
p { color: var(--danger); }
</style>
