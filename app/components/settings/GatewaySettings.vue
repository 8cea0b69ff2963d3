<script setup lang="ts">
import { apiPath } from '../../model/address.ts'
import { computed, ref, watch } from 'vue'
import equal from 'fast-deep-equal'
import { FIRST_SETTINGS, WORDS_LENGTH, type Settings } from '../../../protocol/gateway/settings.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useLive } from '../../stores/live.ts'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'
import ExceptDevices from './ExceptDevices.vue'
import { settingsText } from '../../text/settings/settings.ts'

/**
 * The settings of the gateway besides the rules: the gateway stores them itself, and they take effect at
 * once.
 */
const [draft, live, gateway] = [useDraftPolicy(), useLive(), useGateway()]
const { busy, trouble, send } = useDraft()
const kept = computed((): Settings | null => gateway.answered?.status?.settings ?? null)
const copyOf = ({ closedAddresses, page, lookups, usage, localNames }: Settings) => ({
  localNames: [...localNames],
  closedAddresses,
  page: { ...page },
  lookups: { ...lookups, exempt: [...lookups.exempt] },
  usage: { ...usage, exempt: [...usage.exempt] },
})
const form = ref(copyOf(kept.value ?? FIRST_SETTINGS))
// A setting that somebody else changed meanwhile is taken over where nothing was changed here.
watch(kept, (now, before) => {
  if (now && (!before || equal(form.value, copyOf(before)))) form.value = copyOf(now)
})
const away = computed(() => !gateway.answered?.status || gateway.answered.state === 'away' || !kept.value)
const changed = computed(() => kept.value !== null && !equal(form.value, copyOf(kept.value)))
const devices = computed(() => draft.policy.devices.map(({ id, name }) => ({ value: id, label: name })))
/** The stored data that would be deleted. */
const goes = computed(() => {
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
/** Outside names that may lead into this network, as one types them. */
const localNames = computed({
  get: () => form.value.localNames.join(', '),
  set: (text: string) => {
    form.value.localNames = text.split(/[\s,]+/).filter(Boolean)
  },
})
const keep = () => send('PUT', '/api/gateway/settings', form.value)
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
  <section :aria-label="settingsText.gateway" class="gateway">
    <h2>{{ settingsText.gateway }}</h2>
    <p class="soft">{{ settingsText.storedInGateway }}</p>
    <p v-if="away" class="trouble" role="status">{{ settingsText.gatewayAway }}</p>
    <form @submit.prevent="keep">
      <fieldset :disabled="away">
        <legend class="display">{{ settingsText.blockedSites }}</legend>
        <UCheckbox v-model="form.page.shown" :label="settingsText.showPage" />
        <p class="soft">{{ settingsText.showPageHttps }}</p>
        <label v-if="form.page.shown" class="words"
          >{{ settingsText.yourMessage
          }}<UTextarea
            v-model="form.page.words"
            :rows="2"
            :maxlength="WORDS_LENGTH"
            :placeholder="settingsText.messageExample"
        /></label>
        <p class="see">
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
      </fieldset>
      <fieldset :disabled="away">
        <legend class="display">{{ settingsText.dnsLookUps }}</legend>
        <UCheckbox v-model="form.lookups.kept" :label="settingsText.storeLookups" />
        <template v-if="form.lookups.kept">
          <p class="line">
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
        </template>
        <p class="soft">{{ settingsText.storeLookupsWhy }}</p>
      </fieldset>
      <fieldset :disabled="away">
        <legend class="display">{{ settingsText.usage }}</legend>
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
      </fieldset>
      <fieldset :disabled="away">
        <legend class="display">{{ settingsText.namesOfThisNetwork }}</legend>
        <label class="words"
          >{{ settingsText.outsideNames
          }}<UInput v-model.lazy="localNames" placeholder="vault.example" spellcheck="false"
        /></label>
        <p class="soft">{{ settingsText.outsideNamesWhy }}</p>
      </fieldset>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <p v-if="goes" class="trouble" role="status">{{ settingsText.cannotBeUndone(goes) }}</p>
      <ActButton color="primary" variant="solid" type="submit" :loading="busy" :disabled="!changed || away">{{
        goes ? settingsText.saveAndDeleteThat : settingsText.save
      }}</ActButton>
      <ActButton v-if="changed && kept" class="back" @click="form = copyOf(kept)">{{
        settingsText.cancel
      }}</ActButton>
    </form>
  </section>
</template>

<style scoped>
.gateway {
  margin-top: 30px;
}
fieldset {
  margin: 14px 0;
  padding-top: 10px;
  border-top: 1px solid var(--hair);
}
legend {
  font-size: 16px;
  font-weight: 500;
  float: left;
  width: 190px;
}
fieldset > :not(legend) {
  margin-left: 190px;
}
fieldset p {
  margin-bottom: 10px;
  max-width: 72ch;
}
.words {
  display: flex;
  flex-direction: column;
  gap: 3px;
  font-size: 13px;
  color: var(--soft);
  margin-bottom: 10px;
  max-width: 560px;
}
.see,
.line {
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
@media (max-width: 760px) {
  legend {
    float: none;
    width: auto;
  }
  fieldset > :not(legend) {
    margin-left: 0;
  }
}
</style>
