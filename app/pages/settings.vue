<script setup lang="ts">
import { computed, ref } from 'vue'
import AccountSettings from '../components/place/AccountSettings.vue'
import ConnectGateway from '../components/place/ConnectGateway.vue'
import NetworkList from '../components/place/NetworkList.vue'
import GatewaySettings from '../components/place/GatewaySettings.vue'
import TokenList from '../components/place/TokenList.vue'
import { localText } from '../../core/time/instant.ts'
import { placeForm } from '../../shared/forms.ts'
import { useDraft } from '../composables/useDraft.ts'
import { useMoment } from '../stores/moment.ts'
import { useNetwork } from '../stores/network.ts'
import { clockTroubles } from '../text/gateway.ts'
import { clockWords } from '../text/clock.ts'

useHead({ title: 'Settings · Kairostat' })
const [network, moment] = [useNetwork(), useMoment()]
const { busy, trouble, send } = useDraft()
const form = ref({ ...network.draft!.place })
const zones = Intl.supportedValuesOf('timeZone')
const gateway = computed(() => network.gateway)
const ahead = computed(() => gateway.value?.ahead ?? 0)
const clock = computed(() => gateway.value?.status && gateway.value.state !== 'away' ? localText(moment.now + ahead.value, gateway.value.status.timeZone).replace('T', ' ') : '')
const isWrong = computed(() => gateway.value !== null && clockTroubles(gateway.value, network.zone).length > 0)
const verdict = computed(() => {
  if (!gateway.value?.status || gateway.value.state === 'away') return 'The gateway does not answer, so its clock is not known'
  const parts = clockTroubles(gateway.value, network.zone)
  return parts.length === 0 ? 'Clock and time zone are right' : `Schedules run at the wrong time: ${parts.join(', and ')}`
})
const SECTIONS = [['network', 'Your network'], ['networks', 'Networks'], ['gateway', 'Gateway'], ['connect', 'Connect a gateway'], ['account', 'Password and backup'], ['tokens', 'Access for programs']] as const
const changed = computed(() => form.value.name.trim() !== network.draft!.place.name || form.value.timeZone !== network.draft!.place.timeZone)
const save = () => send('PUT', '/api/place', form.value)
</script>

<template>
  <section aria-label="Settings">
    <h1><b>Settings</b></h1>
    <p class="clock" :class="{ trouble: isWrong }" role="status">{{ verdict }}. <span class="soft">Server {{ clockWords(localText(moment.now, network.zone).slice(11, 19)) }}, gateway {{ clock === '' ? 'unknown' : clockWords(clock.slice(11, 19)) }} ({{ gateway?.status?.timeZone ?? network.zone }})</span></p>
    <nav class="contents" aria-label="On this page"><NuxtLink v-for="[id, name] in SECTIONS" :key="id" :to="`#${id}`" class="link">{{ name }}</NuxtLink></nav>
    <div id="network">
      <h2>Your network</h2>
      <UForm :state="form" :schema="placeForm" :validate-on="[]" class="leaf form" @submit="save">
        <UFormField label="Name" name="name"><UInput v-model="form.name" class="w-64" maxlength="200" /></UFormField>
        <UFormField label="Time zone" name="timeZone"><USelectMenu v-model="form.timeZone" :items="zones" aria-label="Time zone" class="w-72" /></UFormField>
        <p class="soft">All schedules follow this time zone. A change is saved to the draft and takes effect when you apply it.</p>
        <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
        <UButton type="submit" :loading="busy" :disabled="!changed">Save</UButton>
      </UForm>
    </div>
    <NetworkList id="networks" />
    <GatewaySettings id="gateway" />
    <ConnectGateway />
    <AccountSettings id="account" />
    <TokenList id="tokens" />
  </section>
</template>

<style scoped>
.clock { margin: 4px 0 12px; font-variant-numeric: tabular-nums; }
.contents { display: flex; flex-wrap: wrap; gap: 4px 18px; margin-bottom: 22px; }
@media (max-width: 760px) { .contents > * { padding: 11px 0; min-height: 44px; } }
h2 { margin-bottom: 8px; }
.form { display: flex; flex-wrap: wrap; gap: 12px 20px; align-items: end; padding: 18px 20px; }
.form p { flex-basis: 100%; }
section > :deep(*) { scroll-margin-top: 50px; }
section > :deep(section) { margin-top: 30px; }
</style>
