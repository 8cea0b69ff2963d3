<script setup lang="ts" generic="T">
import { shellText } from '../../text/shell.ts'

// One of several values, whatever they are: the list below knows texts only, and takes no empty one.
const {
  items,
  label,
  disabled = false,
} = defineProps<{
  items: readonly { readonly value: T; readonly label: string }[]
  label: string
  disabled?: boolean
}>()
const model = defineModel<T>({ required: true })

/** The number of choices from which one searches by typing. */
const SEARCHED_FROM = 10
const options = computed(() => items.map((item, index) => ({ label: item.label, value: String(index) })))
const chosen = computed({
  get: () => String(items.findIndex(({ value }) => value === model.value)),
  set: (index: string) => (model.value = items[Number(index)]!.value),
})
</script>

<template>
  <USelectMenu
    v-model="chosen"
    :items="options"
    value-key="value"
    :search-input="items.length > SEARCHED_FROM && { placeholder: shellText.search }"
    :virtualize="items.length > 60"
    :disabled="disabled"
    :aria-label="label"
    :ui="{ content: 'w-auto min-w-(--reka-combobox-trigger-width)' }"
  />
</template>
