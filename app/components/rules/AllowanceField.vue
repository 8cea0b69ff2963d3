<script setup lang="ts">
import { computed } from 'vue'
import { mostOf } from '../../../core/policy/parts.ts'
import SelectField from '../common/SelectField.vue'
import type { AllowanceFields } from '../../model/rule-form.ts'
import { rulesText } from '../../text/rules.ts'

/** The allowance of a rule, as parts of its sentence. */
const fields = defineModel<AllowanceFields>({ required: true })
const STARTS = [
  { value: false, label: rulesText.atOnce },
  { value: true, label: rulesText.afterUseOf },
]
const MEASURES = [
  { value: 'minutes', label: rulesText.minutes },
  { value: 'megabytes', label: rulesText.megabytes },
] as const
const PERIODS = [
  { value: 'day', label: rulesText.aDay },
  { value: 'week', label: rulesText.aWeek },
] as const
const OWNERS = [
  { value: false, label: rulesText.eachDevice },
  { value: true, label: rulesText.allTogether },
]
const most = computed(() => mostOf(fields.value))
const set = (part: Partial<AllowanceFields>) => (fields.value = { ...fields.value, ...part })
</script>

<template>
  <SelectField
    :model-value="fields.isGiven"
    :label="rulesText.allowance"
    :items="STARTS"
    @update:model-value="(isGiven) => set({ isGiven })"
  />
  <template v-if="fields.isGiven">
    <UInput
      :model-value="fields.size"
      type="number"
      min="1"
      :max="most"
      class="w-24"
      required
      :aria-label="rulesText.howMuch"
      @update:model-value="(size) => set({ size: Number(size) })"
    />
    <SelectField
      :model-value="fields.measure"
      :label="rulesText.measure"
      :items="MEASURES"
      @update:model-value="(measure) => set({ measure })"
    />
    <SelectField
      :model-value="fields.per"
      :label="rulesText.period"
      :items="PERIODS"
      @update:model-value="(per) => set({ per })"
    />
    <span>{{ rulesText.fromWord }}</span>
    <UInput
      :model-value="fields.from"
      type="time"
      required
      :aria-label="rulesText.periodBegins"
      @update:model-value="(from) => set({ from: String(from) })"
    />
    <SelectField
      :model-value="fields.shared"
      :label="rulesText.whose"
      :items="OWNERS"
      @update:model-value="(shared) => set({ shared })"
    />
  </template>
</template>
