<script setup lang="ts">
import { commandText } from '../../text/command.ts'
import ActButton from './ActButton.vue'

/** Commands to run elsewhere, or a link to send, with a button that copies them. */
const { lines, label } = defineProps<{
  lines: string
  /** Their name. */
  label: string
}>()
const toast = useToast()
const copy = () =>
  navigator.clipboard.writeText(lines).then(
    () => toast.add({ title: commandText.copied }),
    () => toast.add({ title: commandText.cannotCopy, color: 'error' }),
  )
</script>

<template>
  <div class="code">
    <pre tabindex="0" :aria-label="label">{{ lines }}</pre>
    <ActButton :aria-label="commandText.copyLabel(label)" @click="copy">{{ commandText.copy }}</ActButton>
  </div>
</template>

<style scoped>
.code {
  display: flex;
  gap: 10px;
  align-items: start;
  width: 100%;
  margin-top: 4px;
}
pre {
  flex: 1;
  min-width: 0;
  max-height: 11em;
  overflow: auto;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  background: var(--leaf);
  border: 1px solid var(--hair);
  border-radius: 8px;
  padding: 8px 12px;
  font-size: 13px;
}
</style>
