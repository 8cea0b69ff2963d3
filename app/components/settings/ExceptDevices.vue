<script setup lang="ts">
import { computed } from 'vue'
import { useDraftPolicy } from '../../stores/draft.ts'
import ManyField from '../common/ManyField.vue'
import { settingsText } from '../../text/settings/settings.ts'

/** The devices, by id, for which something is not done. */
defineProps<{ label: string }>()
const except = defineModel<string[]>({ required: true })
const draft = useDraftPolicy()
const devices = computed(() => draft.policy.devices.map(({ id, name }) => ({ value: id, label: name })))
</script>

<template>
  <span aria-hidden="true">{{ label }}</span>
  <ManyField
    v-model="except"
    :label="label"
    :items="devices"
    :placeholder="settingsText.noDevice"
    class="min-w-44"
  />
</template>
