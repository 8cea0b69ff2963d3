<script setup lang="ts">
import { computed } from 'vue'
import { useGatewaySettings } from '../../composables/useGatewaySettings.ts'
import { settingsText } from '../../text/settings/settings.ts'
import GatewayForm from './GatewayForm.vue'

/** Outside names that may lead into this network. */
const settings = useGatewaySettings('localNames')
const names = computed({
  get: () => settings.form.value.localNames.join(', '),
  set: (text: string) => {
    settings.form.value.localNames = text.split(/[\s,]+/).filter(Boolean)
  },
})
</script>

<template>
  <GatewayForm :title="settingsText.namesOfThisNetwork" :of="settings">
    <label class="words"
      >{{ settingsText.outsideNames
      }}<UInput v-model.lazy="names" placeholder="vault.example" spellcheck="false"
    /></label>
    <p class="soft">{{ settingsText.outsideNamesWhy }}</p>
  </GatewayForm>
</template>
