<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import ActButton from '../components/common/ActButton.vue'
import AccountSettings from '../components/settings/AccountSettings.vue'
import ConnectGateway from '../components/settings/ConnectGateway.vue'
import GatewaySettings from '../components/settings/GatewaySettings.vue'
import NoticeSettings from '../components/settings/NoticeSettings.vue'
import PeopleSettings from '../components/settings/PeopleSettings.vue'
import TokenList from '../components/settings/TokenList.vue'
import TransferKeys from '../components/settings/TransferKeys.vue'
import { localText } from '../../core/time/instant.ts'
import type { Need } from '../../protocol/roles.ts'
import { placeForm } from '../../protocol/forms.ts'
import { useDraft } from '../composables/useDraft.ts'
import { useMoment } from '../stores/moment.ts'
import { useDraftPolicy } from '../stores/draft.ts'
import { useGateway } from '../stores/gateway.ts'
import { useMe } from '../stores/me.ts'
import { usePlace } from '../stores/place.ts'
import { clockTroubles } from '../text/gateway.ts'
import { clockWords } from '../../core/words/clock.ts'
import { noticesText } from '../text/settings/notices.ts'
import { peopleText } from '../text/settings/people.ts'
import { placesText } from '../text/places.ts'
import { settingsText } from '../text/settings/settings.ts'
import { transferText } from '../text/settings/transfer-keys.ts'

useHead({ title: settingsText.pageTitle })
const [draft, place, gateway, moment, me] = [useDraftPolicy(), usePlace(), useGateway(), useMoment(), useMe()]
const { busy, trouble, send } = useDraft()
const form = ref({ ...draft.policy.place })
const zones = Intl.supportedValuesOf('timeZone')
const view = computed(() => gateway.answered)
const ahead = computed(() => view.value?.ahead ?? 0)
const clock = computed(() =>
  view.value?.status && view.value.state !== 'away'
    ? localText(moment.now + ahead.value, view.value.status.timeZone).replace('T', ' ')
    : '',
)
const isWrong = computed(() => view.value !== null && clockTroubles(view.value, place.zone).length > 0)
const verdict = computed(() => {
  if (!view.value?.status || view.value.state === 'away') return settingsText.clockUnknown
  const parts = clockTroubles(view.value, place.zone)
  return parts.length === 0 ? settingsText.clockRight : settingsText.clockWrong(parts.join(settingsText.and))
})
const isAdministrator = computed(() => me.mayDo('administer'))
const SECTIONS = [
  ['network', settingsText.yourNetwork],
  ['gateway', settingsText.gateway],
  ['connect', settingsText.connectAGateway],
  ['people', peopleText.title],
  ['notices', noticesText.title],
  ['account', settingsText.yourAccount],
  ['tokens', settingsText.accessForPrograms],
  ['zones', transferText.title],
] as const
/** The rights that one needs to see each part; the parts not named concern Kairostat itself. */
const NEEDS: Readonly<Record<string, Need>> = { network: 'edit', notices: 'see', account: 'see' }
const sections = computed(() => SECTIONS.filter(([id]) => me.mayDo(NEEDS[id] ?? 'administer')))
const changed = computed(
  () =>
    form.value.name.trim() !== draft.policy.place.name || form.value.timeZone !== draft.policy.place.timeZone,
)
const save = () => send('PUT', '/api/place', form.value)

/**
 * The milliseconds that the parts above take to load: then the part that an address names is brought into
 * sight.
 */
const SETTLED_MS = 600
const { hash } = useRoute()
onMounted(() => {
  if (hash !== '') setTimeout(() => document.querySelector(hash)?.scrollIntoView(), SETTLED_MS)
})
</script>

<template>
  <section :aria-label="settingsText.settings">
    <h1>
      <b>{{ settingsText.settings }}</b>
    </h1>
    <p class="clock" :class="{ trouble: isWrong }" role="status">
      {{ verdict }}.
      <span class="soft">{{
        settingsText.clocks(
          clockWords(localText(moment.now, place.zone).slice(11, 19)),
          clockWords(clock.slice(11, 19)),
          clock === '',
          view?.status?.timeZone ?? place.zone,
        )
      }}</span>
    </p>
    <nav v-if="sections.length > 1" class="contents" :aria-label="settingsText.onThisPage">
      <NuxtLink v-for="[id, name] in sections" :key="id" :to="`#${id}`" class="link">{{ name }}</NuxtLink>
    </nav>
    <div v-if="me.mayDo('edit')" id="network">
      <h2>{{ settingsText.yourNetwork }}</h2>
      <UForm :state="form" :schema="placeForm" :validate-on="[]" class="leaf form" @submit="save">
        <UFormField :label="settingsText.name" name="name"
          ><UInput v-model="form.name" class="w-64" maxlength="200"
        /></UFormField>
        <UFormField :label="settingsText.timeZone" name="timeZone"
          ><USelectMenu
            v-model="form.timeZone"
            :items="zones"
            :aria-label="settingsText.timeZone"
            class="w-72"
        /></UFormField>
        <p class="soft">{{ settingsText.timeZoneWhy }}</p>
        <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
        <ActButton type="submit" :loading="busy" :disabled="!changed">{{ settingsText.save }}</ActButton>
      </UForm>
    </div>
    <template v-if="isAdministrator">
      <GatewaySettings id="gateway" />
      <ConnectGateway />
      <PeopleSettings id="people" />
    </template>
    <p v-else-if="me.mayDo('edit')" id="connect" class="soft">{{ peopleText.forAdministrators }}</p>
    <NoticeSettings id="notices" />
    <AccountSettings id="account" />
    <p v-if="me.isOverAll && me.places.length === 1" class="soft">
      {{ placesText.addAnother }} <NuxtLink to="/places" class="link">{{ placesText.add }}</NuxtLink>
    </p>
    <template v-if="isAdministrator">
      <TokenList id="tokens" />
      <TransferKeys id="zones" />
    </template>
  </section>
</template>

<style scoped>
.clock {
  margin: 4px 0 12px;
  font-variant-numeric: tabular-nums;
}
.contents {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  margin-bottom: 22px;
}
@media (max-width: 760px) {
  .contents > * {
    padding: 11px 0;
    min-height: 44px;
  }
}
h2 {
  margin-bottom: 8px;
}
.form {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 20px;
  align-items: end;
  padding: 18px 20px;
}
.form p {
  flex-basis: 100%;
}
section > :deep(*) {
  scroll-margin-top: 50px;
}
section > :deep(section) {
  margin-top: 30px;
}
</style>
