<script setup lang="ts">
import { computed } from 'vue'
import { useGatewaySettings } from '../../composables/useGatewaySettings.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { settingsText } from '../../text/settings/settings.ts'
import ExceptDevices from './ExceptDevices.vue'
import GatewayForm from './GatewayForm.vue'

/** The settings of stored look-ups and of counted usage. */
const draft = useDraftPolicy()
const settings = useGatewaySettings('lookups', 'usage')
const { kept, form } = settings
/** The stored data that would be deleted. */
const loss = computed(() => {
  if (!kept.value) return ''
  const [was, now] = [kept.value, form.value]
  const newly = (what: 'lookups' | 'usage') =>
    now[what].exempt
      .filter((id) => !was[what].exempt.includes(id))
      .map((id) => draft.policy.devices.find((device) => device.id === id)?.name ?? id)
      .join(', ')
  const lookups =
    was.lookups.kept && !now.lookups.kept
      ? [settingsText.allLookupsGo]
      : [
          now.lookups.days < was.lookups.days && settingsText.olderGo(now.lookups.days),
          newly('lookups') && settingsText.theirsGo(newly('lookups')),
        ]
  const usage =
    was.usage.kept && !now.usage.kept
      ? settingsText.allUsageGoes
      : newly('usage') && settingsText.theirUsageGoes(newly('usage'))
  return [...lookups, usage].filter(Boolean).join(' ')
})
</script>

<template>
  <GatewayForm :title="settingsText.lookupsAndUsage" :of="settings" :loss="loss">
    <h3>{{ settingsText.dnsLookUps }}</h3>
    <UCheckbox v-model="form.lookups.kept" :label="settingsText.storeLookups" />
    <p v-if="form.lookups.kept" class="line">
      <label
        >{{ settingsText.forWord }}
        <UInput
          v-model.number="form.lookups.days"
          type="number"
          min="1"
          max="90"
          class="w-16"
          required
          :aria-label="settingsText.days"
        />
        {{ settingsText.daysWord }}</label
      >
      {{ ' ' }}
      <ExceptDevices v-model="form.lookups.exempt" :label="settingsText.exceptFor" />
    </p>
    <p class="soft">{{ settingsText.storeLookupsWhy }}</p>
    <h3>{{ settingsText.usage }}</h3>
    <UCheckbox v-model="form.usage.kept" :label="settingsText.countUsage" />
    <p v-if="form.usage.kept" class="line">
      <label
        >{{ settingsText.activeFrom }}
        <UInput
          v-model.number="form.usage.kilobytes"
          type="number"
          min="1"
          max="100000"
          class="w-24"
          required
          :aria-label="settingsText.kilobytes"
        />
        {{ settingsText.kilobytesWord }}</label
      >
      {{ ' ' }}
      <ExceptDevices v-model="form.usage.exempt" :label="settingsText.countedExcept" />
    </p>
    <p class="soft">{{ settingsText.usageWhy }}</p>
  </GatewayForm>
</template>
