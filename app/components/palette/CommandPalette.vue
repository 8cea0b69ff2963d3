<script setup lang="ts">
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { useDraft } from '../../composables/useDraft.ts'
import { useOverride } from '../../composables/useOverride.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useMe } from '../../stores/me.ts'
import { useSavedActs } from '../../stores/saved-acts.ts'
import { suggestions } from '../../model/suggest.ts'
import type { Suggestion } from '../../model/suggestion.ts'
import { shellText } from '../../text/shell.ts'

/**
 * One field that finds everything and does the quick things; the arrow keys choose, Enter does it, Escape
 * closes.
 */
const emit = defineEmits<{ close: []; does: [what: 'theme' | 'sign-out' | 'keys'] }>()
const [draft, gateway, moment, me, saved] = [
  useDraftPolicy(),
  useGateway(),
  useMoment(),
  useMe(),
  useSavedActs(),
]
const { walk } = useDraft()
const { make, doSaved, cutsOff } = useOverride()
const text = ref('')
const chosen = ref(0)
const list = ref<HTMLElement | null>(null)
const dialog = ref<HTMLDialogElement | null>(null)
const found = computed(() =>
  suggestions(text.value, draft.policy, moment.now, gateway.sightings, me, saved.all),
)
/** An act that blocks the device in use asks once more. */
const asked = ref<string | null>(null)
watch(text, () => {
  chosen.value = 0
  asked.value = null
})
watch(chosen, async () => {
  await nextTick()
  list.value?.querySelector('[aria-selected=true]')?.scrollIntoView({ block: 'nearest' })
})
onMounted(() => dialog.value!.showModal())

const asksFirst = ({ act }: Suggestion) =>
  (act.kind === 'override' && cutsOff(act)) || (act.kind === 'saved' && cutsOff(act.act))
async function run(one: Suggestion | undefined) {
  if (!one) return
  if (asksFirst(one) && asked.value !== one.key) {
    asked.value = one.key
    return
  }
  emit('close')
  const { act } = one
  if (act.kind === 'go') await navigateTo(act.to)
  else if (act.kind === 'look') {
    if (act.at === null) moment.back()
    else moment.put(act.at)
    if (act.to) await navigateTo(act.to)
  } else if (act.kind === 'override') await make(act.effect, act.who, act, act.said)
  else if (act.kind === 'saved') await doSaved(act.act)
  else if (act.what === 'undo' || act.what === 'redo') await walk(act.what)
  else if (act.what === 'now') moment.back()
  else emit('does', act.what)
}
function onKey(event: KeyboardEvent) {
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key]
  if (step && found.value.length > 0)
    chosen.value = (chosen.value + step + found.value.length) % found.value.length
  else if (event.key === 'Enter') void run(found.value[chosen.value])
  else return
  event.preventDefault()
}
</script>

<template>
  <dialog
    ref="dialog"
    class="palette"
    :aria-label="shellText.searchOrDo"
    @close="emit('close')"
    @click.self="dialog!.close()"
  >
    <UInput
      v-model="text"
      role="combobox"
      aria-expanded="true"
      aria-controls="palette-list"
      :aria-activedescendant="found.length > 0 ? `palette-${chosen}` : undefined"
      :aria-label="shellText.searchOrDo"
      autofocus
      spellcheck="false"
      autocomplete="off"
      class="w-full"
      variant="none"
      :ui="{ base: 'text-[19px] font-head' }"
      :placeholder="shellText.searchExample"
      @keydown="onKey"
    />
    <ul id="palette-list" ref="list" role="listbox" :aria-label="shellText.matches">
      <li
        v-for="(one, index) in found"
        :id="`palette-${index}`"
        :key="one.key"
        role="option"
        :aria-selected="index === chosen"
        @mousemove="chosen = index"
        @click="run(one)"
      >
        <span
          >{{ one.label }} <b v-if="asked === one.key">{{ shellText.ownDevice }}</b></span
        ><small>{{ one.sort }}</small>
      </li>
    </ul>
    <p v-if="found.length === 0" class="soft" role="status">{{ shellText.nothingFound(text.trim()) }}</p>
  </dialog>
</template>

<style scoped>
.palette {
  position: fixed;
  top: 12vh;
  left: 50%;
  translate: -50% 0;
  width: min(600px, calc(100vw - 24px));
  margin: 0;
  padding: 10px;
  background: var(--leaf);
  color: var(--ink);
  border: 1px solid var(--line);
  border-radius: 6px;
  box-shadow: 0 18px 50px rgb(0 0 0 / 22%);
}
.palette::backdrop {
  background: rgb(0 0 0 / 18%);
}
ul {
  max-height: 52vh;
  overflow: auto;
  padding-top: 6px;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 16px;
  padding: 6px 10px;
  cursor: pointer;
  border-radius: 3px;
  align-items: baseline;
}
li[aria-selected='true'] {
  background: var(--paper);
  box-shadow: inset 3px 0 var(--ink);
}
small {
  color: var(--soft);
}
b {
  color: var(--danger);
  font-weight: 600;
}
p {
  padding: 10px;
}
</style>
