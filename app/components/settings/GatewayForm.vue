<script setup lang="ts">
import type { useGatewaySettings } from '../../composables/useGatewaySettings.ts'
import { settingsText } from '../../text/settings/settings.ts'
import ActButton from '../common/ActButton.vue'

/** The frame of a form of settings that the gateway stores; `loss` says which stored data saving deletes. */
const {
  title,
  of,
  loss = '',
} = defineProps<{
  title: string
  of: Pick<
    ReturnType<typeof useGatewaySettings>,
    'isAway' | 'isChanged' | 'busy' | 'trouble' | 'save' | 'undo'
  >
  loss?: string
}>()
const { isAway, isChanged, busy, trouble } = of
</script>

<template>
  <section :aria-label="title">
    <h2>{{ title }}</h2>
    <p class="soft">{{ settingsText.storedInGateway }}</p>
    <p v-if="isAway" class="trouble" role="status">{{ settingsText.gatewayAway }}</p>
    <form @submit.prevent="of.save">
      <fieldset :disabled="isAway"><slot /></fieldset>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <p v-if="loss" class="trouble" role="status">{{ settingsText.cannotBeUndone(loss) }}</p>
      <ActButton
        color="primary"
        variant="solid"
        type="submit"
        :loading="busy"
        :disabled="!isChanged || isAway"
        >{{ loss ? settingsText.saveAndDeleteThat : settingsText.save }}</ActButton
      >
      <ActButton v-if="isChanged" class="back" @click="of.undo">{{ settingsText.cancel }}</ActButton>
    </form>
  </section>
</template>

<style scoped>
fieldset {
  margin: 14px 0;
}
fieldset :slotted(p) {
  margin-bottom: 10px;
  max-width: 72ch;
}
fieldset :slotted(h3) {
  margin-top: 18px;
}
fieldset :slotted(.words) {
  display: flex;
  flex-direction: column;
  gap: 3px;
  font-size: 13px;
  color: var(--soft);
  margin-bottom: 10px;
  max-width: 560px;
}
fieldset :slotted(.line) {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.trouble {
  margin-bottom: 8px;
}
.back {
  margin-left: 8px;
}
</style>
