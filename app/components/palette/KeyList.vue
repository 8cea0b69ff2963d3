<script setup lang="ts">
import { onMounted, ref } from 'vue'

/** The few keys that work everywhere. */
const emit = defineEmits<{ close: [] }>()
const dialog = ref<HTMLDialogElement | null>(null)
onMounted(() => dialog.value!.showModal())
const KEYS = [
  ['Ctrl K', 'search, or do something: “allow lena’s tablet 30 min”'], ['m', 'type the moment to show'], ['n', 'back to now'], ['← →', 'on the ribbon: move the needle'],
  ['↑ ↓', 'on the board: from device to device'], ['Ctrl Z', 'undo the last edit of the draft'], ['Ctrl Shift Z', 'redo it'], ['Alt ↑ ↓', 'on a rule: move it up or down'], ['?', 'this list'], ['Esc', 'close what is open'],
] as const
</script>

<template>
  <dialog ref="dialog" class="keys" aria-labelledby="keys-title" @close="emit('close')" @click.self="dialog!.close()">
    <h2 id="keys-title">Keys</h2>
    <dl><template v-for="[key, words] in KEYS" :key="key"><dt><kbd>{{ key }}</kbd></dt><dd>{{ words }}</dd></template></dl>
    <UButton size="sm" variant="outline" color="neutral" @click="dialog!.close()">Close</UButton>
  </dialog>
</template>

<style scoped>
.keys { position: fixed; top: 14vh; left: 50%; translate: -50% 0; width: min(460px, calc(100vw - 24px)); margin: 0; padding: 20px 24px; background: var(--leaf); color: var(--ink); border: 1px solid var(--line); border-radius: 6px; box-shadow: 0 18px 50px rgb(0 0 0 / 22%); }
.keys::backdrop { background: rgb(0 0 0 / 18%); }
dl { display: grid; grid-template-columns: auto 1fr; gap: 6px 18px; margin: 12px 0 18px; }
kbd { font: inherit; border: 1px solid var(--line); border-radius: 3px; padding: 0 5px; white-space: nowrap; }
</style>
