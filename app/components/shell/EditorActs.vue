<script setup lang="ts">
/** The acts below an editor: keep, close, and take out what is in the draft already. */
defineProps<{
  isNew: boolean
  busy: boolean
  /** Whether there is nothing to keep, or nothing that could be kept. */
  blocked?: boolean
  /** What is missing yet, in words. */
  missing?: string
}>()
defineEmits<{ close: [], remove: [] }>()
</script>

<template>
  <div class="acts">
    <UButton type="submit" size="sm" :loading="busy" :disabled="blocked">{{ isNew ? 'Save' : 'Save' }}</UButton>
    <UButton size="sm" variant="ghost" color="neutral" @click="$emit('close')">Cancel</UButton>
    <span v-if="missing" class="soft">{{ missing }}</span>
    <UButton v-if="!isNew" size="sm" variant="ghost" color="error" class="ml-auto" :disabled="busy" @click="$emit('remove')">Delete</UButton>
  </div>
</template>

<style scoped>
.acts { display: flex; flex: 1 1 100%; flex-wrap: wrap; gap: 8px; align-items: center; margin-top: 10px; }
</style>
