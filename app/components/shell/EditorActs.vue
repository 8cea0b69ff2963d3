<script setup lang="ts">
import { onMounted, ref } from 'vue'

/** The acts below an editor: save, cancel, and delete what is in the draft already. */
defineProps<{
  isNew: boolean
  busy: boolean
  /** Whether there is nothing to save, or nothing that could be saved. */
  blocked?: boolean
  /** What is missing yet, in words. */
  missing?: string
}>()
defineEmits<{ close: [], remove: [] }>()

const acts = ref<HTMLElement | null>(null)
// What one opens is in sight.
onMounted(() => acts.value?.closest('form')?.scrollIntoView({ block: 'start' }))
</script>

<template>
  <div ref="acts" class="acts">
    <UButton type="submit" :loading="busy" :disabled="blocked">Save</UButton>
    <UButton variant="outline" color="neutral" @click="$emit('close')">Cancel</UButton>
    <span v-if="missing" class="soft">{{ missing }}</span>
    <UButton v-if="!isNew" size="sm" variant="ghost" color="error" class="ml-auto" :disabled="busy" @click="$emit('remove')">Delete</UButton>
  </div>
</template>

<style scoped>
/* Always in sight, above the bar at the foot of the page. */
.acts { position: sticky; bottom: 52px; z-index: 4; display: flex; flex: 1 1 100%; flex-wrap: wrap; gap: 8px; align-items: center; margin: 12px -20px -18px; padding: 12px 20px; background: var(--leaf); border-top: 1px solid var(--hair); border-radius: 0 0 12px 12px; }
@media (max-width: 760px) { .acts { bottom: 60px; } }
</style>
