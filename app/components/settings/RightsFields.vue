<script setup lang="ts">
import { computed } from 'vue'
import type { Rights, Role } from '../../../protocol/roles.ts'
import { ROLES } from '../../../protocol/roles.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { lengthWords } from '../../../core/words/length.ts'
import { peopleText, ROLE_WORDS } from '../../text/settings/people.ts'
import ManyField from '../common/ManyField.vue'
import SelectField from '../common/SelectField.vue'

/** The rights of an account: a role, and for a helper the minutes at a time and the groups. */
defineProps<{ label: string }>()
const rights = defineModel<Rights>({ required: true })
const draft = useDraftPolicy()
const ROLE_CHOICES = ROLES.map((value) => ({ value, label: ROLE_WORDS[value] }))
const MINUTES = [15, 30, 45, 60, 90, 120, 240, 480, 1440].map((value) => ({
  value,
  label: peopleText.atMost(lengthWords(value * 60)),
}))
const groups = computed(() => draft.policy.groups.map(({ id, name }) => ({ label: name, value: id })))
const role = computed({
  get: () => rights.value.role,
  set: (chosen: Role) =>
    (rights.value = { role: chosen, limit: chosen === 'helper' ? { minutes: 30, groups: [] } : null }),
})
const minutes = computed({
  get: () => rights.value.limit?.minutes ?? 30,
  set: (chosen: number) =>
    (rights.value = { ...rights.value, limit: { ...rights.value.limit!, minutes: chosen } }),
})
const chosenGroups = computed({
  get: () => [...(rights.value.limit?.groups ?? [])],
  set: (chosen: string[]) =>
    (rights.value = { ...rights.value, limit: { ...rights.value.limit!, groups: chosen } }),
})
</script>

<template>
  <SelectField v-model="role" :label="label" :items="ROLE_CHOICES" />
  <template v-if="rights.limit">
    <SelectField v-model="minutes" :label="peopleText.longest" :items="MINUTES" />
    <ManyField
      v-model="chosenGroups"
      :label="peopleText.groups"
      :items="groups"
      :placeholder="peopleText.chooseGroups"
      class="min-w-44"
    />
  </template>
</template>
