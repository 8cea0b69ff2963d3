<script setup lang="ts" generic="T extends { id: string; name: string }">
import type { Schema } from 'yup'
import type { CopiedKind } from '../../../protocol/places.ts'
import type { useDraft } from '../../composables/useDraft.ts'
import CopyTo from './CopyTo.vue'
import EditorActs from './EditorActs.vue'
import InUse from './InUse.vue'

/** The editor of an entry of the draft: its fields, what keeps it from going, and the acts below. */
const props = defineProps<{
  /** The entry as it was when the editor opened; none = it is new. */
  was?: T
  form: object
  /** The part of the form that is lost where the editor closes; by default all of it. */
  edited?: unknown
  schema: Schema
  /** How the draft is edited. */
  draft: ReturnType<typeof useDraft>
  /** The entries that may stand in its place. */
  others?: readonly { id: string; name: string }[]
  /** The kind under which it can be copied to another place; none = it cannot. */
  copied?: CopiedKind
  /** Whether there is nothing to save, or nothing that could be saved. */
  blocked: boolean
}>()
const emit = defineEmits<{ save: []; remove: [instead?: string | null]; close: [] }>()
const { busy, trouble, inUse, refuse } = props.draft
</script>

<template>
  <UForm
    :state="form"
    :schema="schema"
    :validate-on="[]"
    class="leaf editor"
    @submit="emit('save')"
    @error="refuse"
  >
    <slot />
    <InUse
      :trouble="trouble"
      :in-use="inUse"
      :busy="busy"
      :others="(others ?? []).filter(({ id }) => id !== was?.id)"
      @instead="(instead) => emit('remove', instead)"
    />
    <CopyTo v-if="was && copied" :kind="copied" :entry="was" class="copy" />
    <EditorActs
      :form="edited ?? form"
      :is-new="!was"
      :busy="busy"
      :blocked="blocked"
      @close="emit('close')"
      @remove="emit('remove')"
    />
  </UForm>
</template>

<style scoped>
.editor {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 16px;
}
.copy {
  flex: 1 1 180px;
}
</style>
