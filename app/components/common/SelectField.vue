<script setup lang="ts" generic="T">
import { useFormField } from '@nuxt/ui/composables/useFormField'
import { shellText } from '../../text/shell.ts'

/**
 * One of several values, whatever they are. A few are the browser's own list, which a phone shows in its own
 * way; among many one searches by typing.
 */
const {
  items,
  label,
  disabled = false,
} = defineProps<{
  items: readonly { readonly value: T; readonly label: string }[]
  label: string
  disabled?: boolean
}>()
defineOptions({ inheritAttrs: false })
const model = defineModel<T>({ required: true })
const { id } = useFormField<{ id?: string }>({})

/** The number of choices from which one searches by typing. */
const SEARCHED_FROM = 12
// Both lists know texts only, and one of them takes no empty text.
const options = computed(() => items.map((item, index) => ({ label: item.label, value: String(index) })))
const chosen = computed({
  get: () => String(items.findIndex(({ value }) => value === model.value)),
  set: (index: string) => (model.value = items[Number(index)]!.value),
})
</script>

<template>
  <LazyUSelectMenu
    v-if="items.length > SEARCHED_FROM"
    v-bind="$attrs"
    v-model="chosen"
    :items="options"
    value-key="value"
    :search-input="{ placeholder: shellText.search }"
    :virtualize="items.length > 60"
    :disabled="disabled"
    :aria-label="label"
    :ui="{ content: 'w-auto min-w-(--reka-combobox-trigger-width)' }"
  />
  <span v-else class="select" :class="$attrs.class">
    <select
      v-bind="{ ...$attrs, class: undefined }"
      :id="id"
      v-model="chosen"
      :disabled="disabled"
      :aria-label="label"
    >
      <option v-for="option in options" :key="option.value" :value="option.value">{{ option.label }}</option>
    </select>
  </span>
</template>

<style scoped>
.select {
  position: relative;
  display: inline-flex;
  max-width: 100%;
}
select {
  appearance: none;
  width: 100%;
  min-height: 32px;
  padding: 4px 30px 4px 12px;
  font-size: 14px;
  text-overflow: ellipsis;
  cursor: pointer;
  color: var(--ink);
  background: var(--leaf);
  border: 1px solid var(--line);
  border-radius: 8px;
  /* As wide as what is chosen, where the browser can. */
  field-sizing: content;
}
select:disabled {
  cursor: not-allowed;
  opacity: 0.75;
}
.select::after {
  content: '';
  position: absolute;
  right: 13px;
  top: calc(50% - 6px);
  width: 8px;
  height: 8px;
  border: solid var(--soft);
  border-width: 0 1.5px 1.5px 0;
  rotate: 45deg;
  pointer-events: none;
}
@media (max-width: 760px) {
  select {
    min-height: 44px;
  }
}
</style>
