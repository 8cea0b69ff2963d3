<script setup lang="ts">
// A tick in a row of a long list, as the theme draws them: while one scrolls, some twenty are made a frame,
// for which the whole control is too slow.
defineProps<{ label: string; checked: boolean }>()
defineEmits<{ pick: [event: MouseEvent] }>()
</script>

<template>
  <label
    ><input type="checkbox" :checked="checked" :aria-label="label" @click="$emit('pick', $event)"
  /></label>
</template>

<style scoped>
label {
  display: flex;
  padding: 8px 0 8px 2px;
  cursor: pointer;
}
input {
  appearance: none;
  width: 16px;
  height: 16px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--leaf);
  cursor: pointer;
}
input:checked {
  background: var(--ink);
  border-color: var(--ink);
}
input:checked::after {
  content: '';
  display: block;
  width: 5px;
  height: 9px;
  margin: 0 auto;
  border: solid var(--leaf);
  border-width: 0 2px 2px 0;
  transform: rotate(45deg);
}
@media (max-width: 760px) {
  label {
    min-height: 44px;
    align-items: center;
  }
}
</style>
