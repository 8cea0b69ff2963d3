<script setup lang="ts">
import { computed, useId } from 'vue'
import { useDraftPolicy } from '../../stores/draft.ts'
import { settingsText } from '../../text/settings/settings.ts'

/** The devices, by id, for which something is not done. */
defineProps<{ label: string }>()
const except = defineModel<string[]>({ required: true })
const draft = useDraftPolicy()
const id = useId()
const devices = computed(() => draft.policy.devices.map(({ id, name }) => ({ value: id, label: name })))
</script>

<template>
  <span :id="id">{{ label }}</span>
  <USelectMenu
    v-model="except"
    multiple
    value-key="value"
    :items="devices"
    :placeholder="settingsText.noDevice"
    :aria-labelledby="id"
    class="min-w-44 max-w-80"
  />
</template>
