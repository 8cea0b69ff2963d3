<script setup lang="ts">
import { ref } from 'vue'
import { useCustomFault } from '../../composables/useCustomFault.ts'
import { readKeyword } from '../../../core/destination/host.ts'
import { readSites, shownSite } from '../../../core/import/site-list.ts'
import { rulesText } from '../../text/rules.ts'

/**
 * Sites or keywords of a rule, parted by blanks or commas; what is typed counts as soon as it can be read,
 * and what cannot is told.
 */
const props = defineProps<{ kind: 'sites' | 'keywords'; label: string; placeholder: string }>()
const values = defineModel<readonly string[]>({ required: true })
const text = ref(values.value.map((value) => (props.kind === 'sites' ? shownSite(value) : value)).join(', '))
const fault = ref('')
const root = ref<HTMLElement | null>(null)
useCustomFault(root, () => fault.value)
/** The names that were read other than typed, and those that cover more than one may think. */
const remarks = ref<readonly string[]>([])

function read() {
  if (props.kind === 'sites') {
    const { entries, unread, altered } = readSites(text.value.replaceAll(',', '\n'))
    fault.value = unread.map(({ message }) => message).join(' ')
    remarks.value = [
      ...altered.map(({ text, entry, reason }) => rulesText.isReadAs(text, entry, reason)),
      ...entries.filter((entry) => /^[^.:/]+$/.test(entry)).map((entry) => rulesText.coversEveryName(entry)),
    ]
    values.value = entries
  } else {
    const words = text.value.split(/[\s,]+/).filter(Boolean)
    const bad = words.find((word) => readKeyword(word) === null)
    fault.value = bad === undefined ? '' : rulesText.tooLongWord(bad.slice(0, 40))
    values.value = [...new Set(words.flatMap((word) => readKeyword(word) ?? []))]
  }
}
</script>

<template>
  <label ref="root" class="above"
    >{{ label
    }}<UInput
      v-model="text"
      :placeholder="placeholder"
      spellcheck="false"
      :aria-invalid="fault !== ''"
      @update:model-value="read"
    /><span v-if="fault" class="fault" role="alert">{{ fault }}</span
    ><span v-for="remark in remarks" :key="remark" role="status">{{ remark }}</span></label
  >
</template>

<style scoped>
label {
  flex: 1 1 240px;
}
.fault {
  color: var(--danger);
}
</style>
