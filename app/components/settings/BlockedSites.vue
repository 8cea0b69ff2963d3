<script setup lang="ts">
import { computed, ref } from 'vue'
import { WORDS_LENGTH } from '../../../protocol/gateway/settings.ts'
import { useGatewaySettings } from '../../composables/useGatewaySettings.ts'
import { apiPath } from '../../model/address.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useLive } from '../../stores/live.ts'
import { settingsText } from '../../text/settings/settings.ts'
import QrCode from '../common/QrCode.vue'
import SelectField from '../common/SelectField.vue'
import GatewayForm from './GatewayForm.vue'

/** The page that explains a block, and the address of a device's own page to print. */
const [draft, live] = [useDraftPolicy(), useLive()]
const settings = useGatewaySettings('page', 'closedAddresses')
const { form } = settings
const devices = computed(() => draft.policy.devices.map(({ id, name }) => ({ value: id, label: name })))
/** The device and the name of the page that is previewed. */
const viewer = ref('')
const name = ref('')
const mac = computed(
  () => live.answer.policy.devices.find(({ id }) => id === viewer.value)?.adapters[0]?.mac ?? '',
)
const pageUrl = computed(() =>
  mac.value && name.value.trim()
    ? apiPath(`/api/gateway/page?${new URLSearchParams({ mac: mac.value, name: name.value.trim() })}`)
    : '',
)
</script>

<template>
  <GatewayForm :title="settingsText.blockedSites" :of="settings">
    <UCheckbox v-model="form.page.shown" :label="settingsText.showPage" />
    <p class="soft">{{ settingsText.showPageHttps }}</p>
    <template v-if="form.page.shown">
      <label class="words"
        >{{ settingsText.yourMessage
        }}<UTextarea
          v-model="form.page.words"
          :rows="2"
          :maxlength="WORDS_LENGTH"
          :placeholder="settingsText.messageExample"
      /></label>
      <p class="line">
        <QrCode :text="settingsText.ownPage" :alt="settingsText.ownPageCode" />
        <span class="soft code">{{ settingsText.ownPageCodeWhy }}</span>
      </p>
    </template>
    <p class="line">
      <span>{{ settingsText.previewFor }}</span>
      <SelectField
        v-model="viewer"
        :label="settingsText.asWhichDevice"
        :items="[{ value: '', label: settingsText.device }, ...devices]"
      />
      <span>{{ settingsText.opening }}</span>
      {{ ' ' }}
      <UInput
        v-model="name"
        :aria-label="settingsText.whichName"
        placeholder="reelbrook.example"
        maxlength="300"
      />
      <a v-if="pageUrl" :href="pageUrl" target="_blank" rel="noopener" class="link">{{
        settingsText.openThePage
      }}</a>
    </p>
    <UCheckbox v-model="form.closedAddresses" :label="settingsText.blockAddresses" />
    <p class="soft">{{ settingsText.blockAddressesWhy }}</p>
  </GatewayForm>
</template>

<style scoped>
.code {
  max-width: 34ch;
}
</style>
