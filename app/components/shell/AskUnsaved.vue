<script setup lang="ts">
import { computed } from 'vue'
import { useUnsaved } from '../../composables/useUnsaved.ts'
import { shellText } from '../../text/shell.ts'

// Asks before unsaved edits are left.
const { asking } = useUnsaved()
const open = computed({ get: () => asking.value !== null, set: (isOpen) => isOpen || asking.value?.(false) })
</script>

<template>
  <UModal
    v-model:open="open"
    :title="shellText.leaveWithoutSaving"
    :description="shellText.notSaved"
    :ui="{ footer: 'justify-end' }"
  >
    <template #footer>
      <UButton color="error" @click="asking?.(true)">{{ shellText.discardEdits }}</UButton>
      <UButton color="primary" variant="solid" autofocus @click="asking?.(false)">{{
        shellText.keepEditing
      }}</UButton>
    </template>
  </UModal>
</template>
