<script setup lang="ts">
import { ref } from 'vue'
import ActButton from './ActButton.vue'
import SelectField from './SelectField.vue'
import { shellText } from '../../text/shell.ts'

/** Why something cannot simply go, and what to do instead: put another in its place, or nothing. */
defineProps<{
  trouble: string
  inUse: boolean
  busy: boolean
  others: readonly { id: string; name: string }[]
}>()
const emit = defineEmits<{ instead: [id: string | null] }>()
const other = ref('')
</script>

<template>
  <div v-if="trouble" class="trouble" role="alert">
    <p>{{ trouble }}</p>
    <div v-if="inUse" class="ways">
      <SelectField
        v-model="other"
        :label="shellText.replacement"
        :items="[
          { value: '', label: shellText.replaceWith },
          ...others.map((one) => ({ value: one.id, label: one.name })),
        ]"
      />
      <ActButton
        color="primary"
        variant="solid"
        :disabled="other === '' || busy"
        @click="emit('instead', other)"
        >{{ shellText.replaceAndDelete }}</ActButton
      >
      <ActButton :disabled="busy" @click="emit('instead', null)">{{ shellText.deleteFromRules }}</ActButton>
    </div>
  </div>
</template>

<style scoped>
.trouble {
  flex-basis: 100%;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-top: 6px;
}
</style>
