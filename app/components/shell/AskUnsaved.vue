<script setup lang="ts">
import { computed } from 'vue'
import { useUnsaved } from '../../stores/unsaved.ts'
import { shellText } from '../../text/shell.ts'
import ActButton from '../common/ActButton.vue'

// Asks before unsaved edits are left.
const unsaved = useUnsaved()
const open = computed({
  get: () => unsaved.asking !== null,
  set: (isOpen) => isOpen || unsaved.asking?.(false),
})
</script>

<template>
  <UModal
    v-model:open="open"
    :title="shellText.leaveWithoutSaving"
    :description="shellText.notSaved"
    :ui="{ footer: 'justify-end' }"
  >
    <template #footer>
      <ActButton color="error" @click="unsaved.asking?.(true)">{{ shellText.discardEdits }}</ActButton>
      <ActButton color="primary" variant="solid" autofocus @click="unsaved.asking?.(false)">{{
        shellText.keepEditing
      }}</ActButton>
    </template>
  </UModal>
</template>
