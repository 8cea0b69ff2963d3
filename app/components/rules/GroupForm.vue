<script setup lang="ts">
import { computed, ref } from 'vue'
import { groupForm } from '../../../protocol/forms.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import EntryEditor from '../common/EntryEditor.vue'
import ManyField from '../common/ManyField.vue'
import TextField from '../common/TextField.vue'
import { rulesText } from '../../text/rules.ts'

/** A new group with its members; tells its id, `null` where none was made. */
const emit = defineEmits<{ done: [id: string | null] }>()
const draft = useDraftPolicy()
const edits = useDraft()
const form = ref({ name: '', members: [] as string[] })
const devices = computed(() => draft.policy.devices.map(({ id, name }) => ({ value: id, label: name })))
async function save() {
  const id = await edits.put('group', null, form.value)
  if (id !== null) emit('done', id)
}
</script>

<template>
  <EntryEditor
    :form="form"
    :schema="groupForm"
    :draft="edits"
    :blocked="form.name.trim() === ''"
    @save="save"
    @close="emit('done', null)"
  >
    <TextField v-model="form.name" :label="rulesText.nameOfTheGroup" name="name" class="w-64" />
    <UFormField :label="rulesText.devices" name="members" :error-pattern="/^members/"
      ><ManyField
        v-model="form.members"
        :label="rulesText.devicesOfTheGroup"
        :items="devices"
        :placeholder="rulesText.noneYet"
        class="w-80"
    /></UFormField>
  </EntryEditor>
</template>
