<script setup lang="ts">
import { computed } from 'vue'
import { useUnsaved } from '../../composables/useUnsaved.ts'

// Asks before unsaved edits are left.
const { asking } = useUnsaved()
const open = computed({ get: () => asking.value !== null, set: isOpen => isOpen || asking.value?.(false) })
</script>

<template>
  <UModal v-model:open="open" title="Leave without saving?" description="Your edits are not saved in the draft." :ui="{ footer: 'justify-end' }">
    <template #footer>
      <UButton color="error" @click="asking?.(true)">Discard edits</UButton>
      <UButton color="primary" variant="solid" autofocus @click="asking?.(false)">Keep editing</UButton>
    </template>
  </UModal>
</template>
