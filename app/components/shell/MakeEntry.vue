<script setup lang="ts">
import { ref, watch } from 'vue'
import { NEW_SCHEDULE } from '../../model/paint.ts'
import type { MadeKind } from '../../model/rule-form.ts'
import { useSession } from '../../stores/session.ts'
import { rulesText } from '../../text/rules.ts'
import ScheduleEditor from '../schedules/ScheduleEditor.vue'
import SiteListEditor from '../sites/SiteListEditor.vue'
import GroupForm from '../rules/GroupForm.vue'

/** The dialog that makes an entry which a rule needs; `null` = it is closed. */
const { making } = defineProps<{ making: MadeKind | null }>()
const emit = defineEmits<{ close: []; made: [kind: MadeKind, id: string] }>()

const session = useSession()
const TITLES = { group: rulesText.newGroup, list: rulesText.newSiteList, schedule: rulesText.newSchedule }
/** The form in the dialog: while it fades away, still the one that it was opened for. */
const shown = ref<MadeKind>('group')
watch(
  () => making,
  (kind) => {
    if (kind) shown.value = kind
  },
  { immediate: true },
)

/** The new entry is chosen once the draft has it: until then nothing can be worked out with it. */
async function done(id: string | null) {
  const kind = shown.value
  emit('close')
  if (id === null) return
  await session.load(['draft'])
  emit('made', kind, id)
}
</script>

<template>
  <UModal
    :open="making !== null"
    :title="TITLES[shown]"
    :dismissible="false"
    :ui="{ content: 'max-w-4xl' }"
    @update:open="emit('close')"
  >
    <template #body>
      <GroupForm v-if="shown === 'group'" @done="done" />
      <SiteListEditor v-else-if="shown === 'list'" @done="done" />
      <ScheduleEditor v-else :schedule="NEW_SCHEDULE" :is-new="true" @done="done" />
    </template>
  </UModal>
</template>
