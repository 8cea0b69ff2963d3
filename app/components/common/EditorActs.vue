<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref, watchEffect } from 'vue'
import { useUnsaved } from '../../stores/unsaved.ts'
import { shellText } from '../../text/shell.ts'
import ActButton from './ActButton.vue'

/**
 * The acts below an editor: save, cancel, and delete what is in the draft already. Esc cancels; edits that
 * would be lost are asked about.
 */
const props = defineProps<{
  isNew: boolean
  busy: boolean
  /** The edited entry: while it is as it was at the beginning, there is nothing to lose. */
  form: unknown
  /** Whether there is nothing to save, or nothing that could be saved. */
  blocked?: boolean
  /** The missing parts in words. */
  missing?: string
}>()
const emit = defineEmits<{ close: []; remove: [] }>()
const unsaved = useUnsaved()

const acts = ref<HTMLElement | null>(null)
const me = Symbol()
const begun = JSON.stringify(props.form)
watchEffect(() => unsaved.tell(me, JSON.stringify(props.form) !== begun))
watchEffect(() => unsaved.tellSaving(me, props.busy === true))
/** Menus and questions that are open take Esc for themselves. */
async function onEscape(event: KeyboardEvent) {
  if (
    event.key !== 'Escape' ||
    event.defaultPrevented ||
    document.querySelector('[role=dialog], [role=listbox], [role=menu], dialog[open]')
  )
    return
  if (await unsaved.mayLeave()) emit('close')
}
/** The browser asks by itself before it leaves the page. */
function onUnload(event: BeforeUnloadEvent) {
  if (unsaved.any) event.preventDefault()
}
onMounted(() => {
  // An editor that opens is brought into sight.
  if (!acts.value?.closest('[role=dialog]')) scrollTo(0, 0)
  addEventListener('keydown', onEscape)
  addEventListener('beforeunload', onUnload)
})
onBeforeUnmount(() => {
  unsaved.tell(me, false)
  unsaved.tellSaving(me, false)
  removeEventListener('keydown', onEscape)
  removeEventListener('beforeunload', onUnload)
})
</script>

<template>
  <div ref="acts" class="acts">
    <ActButton color="primary" variant="solid" type="submit" :loading="busy" :disabled="blocked">{{
      shellText.save
    }}</ActButton>
    <ActButton @click="$emit('close')">{{ shellText.cancel }}</ActButton>
    <span v-if="missing" class="soft">{{ missing }}</span>
    <ActButton
      v-if="!isNew"
      variant="ghost"
      color="error"
      class="ml-auto"
      :disabled="busy"
      @click="$emit('remove')"
      >{{ shellText.deleteEntry }}</ActButton
    >
  </div>
</template>

<style scoped>
/* Always in sight, above the bar at the foot of the page. */
.acts {
  position: sticky;
  bottom: 52px;
  z-index: 4;
  display: flex;
  flex: 1 1 100%;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin: 12px -20px -18px;
  padding: 12px 20px;
  background: var(--leaf);
  border-top: 1px solid var(--hair);
  border-radius: 0 0 12px 12px;
}
@media (max-width: 760px) {
  .acts {
    bottom: 60px;
  }
}
</style>
