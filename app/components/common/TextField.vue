<script setup lang="ts">
/** A field of one line of text, as wide as its row. */
defineProps<{ label: string; name: string; required?: boolean; placeholder?: string; list?: string }>()
const text = defineModel<string>({ required: true })
</script>

<template>
  <UFormField :label="label" :name="name"
    ><UInput
      v-model="text"
      class="w-full"
      :required="required"
      :maxlength="name === 'note' ? 500 : 200"
      :placeholder="placeholder"
      :list="list"
  /></UFormField>
</template>
