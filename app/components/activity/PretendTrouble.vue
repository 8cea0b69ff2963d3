<script setup lang="ts">
import { ref } from 'vue'
import type { Pretence } from '../../../protocol/gateway/simulation.ts'
import { useDraft } from '../../composables/useDraft.ts'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'
import { activityText } from '../../text/activity.ts'

/** Makes the simulated network go wrong for a minute, so that one can see what would be said. */
const { busy, trouble, send } = useDraft()
const ways: { value: Pretence; label: string }[] = [
  { value: 'passes', label: activityText.tryPasses },
  { value: 'clock-set', label: activityText.tryClock },
  { value: 'put-back', label: activityText.tryRemoved },
  { value: 'passed-by', label: activityText.tryBypass },
  { value: 'upstream', label: activityText.tryResolver },
]
const way = ref<Pretence>('passes')
const pretend = () => send('PUT', '/api/gateway/pretend', { trouble: way.value })
</script>

<template>
  <form class="pretend" @submit.prevent="pretend">
    <span>{{ activityText.tryAlarm }}</span>
    <SelectField v-model="way" :label="activityText.tryAlarm" :items="ways" class="w-full" />
    <ActButton type="submit" :loading="busy">{{ activityText.tryIt }}</ActButton>
    <p v-if="trouble" role="alert">{{ trouble }}</p>
  </form>
</template>

<style scoped>
.pretend {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  gap: 8px;
  font-size: 13px;
  color: var(--soft);
  border-top: 1px solid var(--hair);
  padding-top: 12px;
}
p {
  color: var(--danger);
}
</style>
