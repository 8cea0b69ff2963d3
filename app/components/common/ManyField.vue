<script setup lang="ts" generic="T extends string">
import { computed } from 'vue'
import ActButton from './ActButton.vue'

/** A menu of which several entries are chosen. */
const props = defineProps<{
  label: string
  items: readonly { value: T; label: string }[]
  /** The text while nothing is chosen. */
  placeholder?: string
  /** The words of an act below the entries, which makes a new one. */
  making?: string
}>()
defineEmits<{ make: [] }>()
const chosen = defineModel<T[]>({ required: true })
// The menu takes texts of any kind.
const entries = computed((): { value: string; label: string }[] => [...props.items])
const texts = computed({
  get: (): string[] => chosen.value,
  set: (now) => (chosen.value = now as T[]),
})
/** The menu is as wide as its longest entry, not as the field. */
const WIDE = { content: 'w-auto min-w-56' }
</script>

<template>
  <USelectMenu
    v-model="texts"
    multiple
    value-key="value"
    :items="entries"
    :placeholder="placeholder"
    :aria-label="label"
    class="max-w-80"
    :ui="WIDE"
    ><template v-if="making" #content-bottom
      ><ActButton block variant="ghost" icon="i-lucide-plus" @click="$emit('make')">{{
        making
      }}</ActButton></template
    ></USelectMenu
  >
</template>
