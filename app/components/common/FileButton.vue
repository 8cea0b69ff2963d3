<script setup lang="ts">
import ActButton from './ActButton.vue'
// Asks for one file, which is told and not kept, so that the same one can be chosen again.
const {
  label,
  accept = '*',
  disabled = false,
} = defineProps<{ label: string; accept?: string; disabled?: boolean }>()
const emit = defineEmits<{ file: [File] }>()
const chosen = ref<File | null>(null)
watch(chosen, (file) => {
  if (!file) return
  chosen.value = null
  emit('file', file)
})
</script>

<template>
  <UFileUpload
    v-slot="{ open }"
    v-model="chosen"
    :accept="accept"
    :disabled="disabled"
    :dropzone="false"
    :preview="false"
    reset
    :aria-label="label"
    class="inline-block"
    ><ActButton :disabled="disabled" @click="open()">{{ label }}</ActButton></UFileUpload
  >
</template>
