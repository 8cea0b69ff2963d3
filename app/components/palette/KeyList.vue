<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { KEYS } from '../../model/keys.ts'
import { helpText } from '../../text/help.ts'
import ActButton from '../common/ActButton.vue'

/** The keys, over the page. */
const emit = defineEmits<{ close: [] }>()
const dialog = ref<HTMLDialogElement | null>(null)
onMounted(() => dialog.value!.showModal())
</script>

<template>
  <dialog
    ref="dialog"
    class="keys"
    aria-labelledby="keys-title"
    @close="emit('close')"
    @click.self="dialog!.close()"
  >
    <h2 id="keys-title">{{ helpText.keys }}</h2>
    <dl>
      <template v-for="[key, words] in KEYS" :key="key"
        ><dt>
          <kbd>{{ key }}</kbd>
        </dt>
        <dd>{{ words }}</dd></template
      >
    </dl>
    <p class="acts">
      <ActButton @click="dialog!.close()">{{ helpText.close }}</ActButton>
      {{ ' ' }}
      <NuxtLink to="/help" class="link" @click="dialog!.close()">{{ helpText.moreHelp }}</NuxtLink>
    </p>
  </dialog>
</template>

<style scoped>
.keys {
  position: fixed;
  top: 14vh;
  left: 50%;
  translate: -50% 0;
  width: min(460px, calc(100vw - 24px));
  margin: 0;
  padding: 20px 24px;
  background: var(--leaf);
  color: var(--ink);
  border: 1px solid var(--line);
  border-radius: 6px;
  box-shadow: 0 18px 50px rgb(0 0 0 / 22%);
}
.keys::backdrop {
  background: rgb(0 0 0 / 18%);
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 6px 18px;
  margin: 12px 0 18px;
}
kbd {
  font: inherit;
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 0 5px;
  white-space: nowrap;
}
.acts {
  display: flex;
  gap: 16px;
  align-items: center;
}
</style>
