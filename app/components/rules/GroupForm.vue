<script setup lang="ts">
import { computed, ref } from 'vue'
import { groupForm } from '../../../protocol/forms.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import EditorActs from '../common/EditorActs.vue'
import { rulesText } from '../../text/rules.ts'

/** A new group with its members; tells its id, `null` where none was made. */
const emit = defineEmits<{ done: [id: string | null] }>()
const draft = useDraftPolicy()
const { busy, trouble, put } = useDraft()
const form = ref({ name: '', members: [] as string[] })
const devices = computed(() => draft.policy.devices.map(({ id, name }) => ({ value: id, label: name })))
async function save() {
  const id = await put('group', null, form.value)
  if (id !== null) emit('done', id)
}
</script>

<template>
  <UForm
    :state="form"
    :schema="groupForm"
    :validate-on="[]"
    class="flex flex-wrap gap-4 items-end"
    @submit="save"
  >
    <UFormField :label="rulesText.nameOfTheGroup" name="name"
      ><UInput v-model="form.name" maxlength="200" class="w-64"
    /></UFormField>
    <UFormField :label="rulesText.devices" name="members" :error-pattern="/^members/"
      ><USelectMenu
        v-model="form.members"
        multiple
        value-key="value"
        :items="devices"
        :placeholder="rulesText.noneYet"
        :aria-label="rulesText.devicesOfTheGroup"
        class="w-80"
    /></UFormField>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <EditorActs
      :form="form"
      is-new
      :busy="busy"
      :blocked="form.name.trim() === ''"
      @close="emit('done', null)"
      @remove="emit('done', null)"
    />
  </UForm>
</template>
