<script setup lang="ts">
import { computed, ref } from 'vue'
import AccountSettings from '../components/place/AccountSettings.vue'
import NetworkList from '../components/place/NetworkList.vue'
import GatewaySettings from '../components/place/GatewaySettings.vue'
import TokenList from '../components/place/TokenList.vue'
import { localText } from '../../core/time/instant.ts'
import { useDraft } from '../composables/useDraft.ts'
import { useMoment } from '../stores/moment.ts'
import { useNetwork } from '../stores/network.ts'
import { clockTroubles } from '../words/gateway.ts'

useHead({ title: 'Kairostat: place' })
const [network, moment] = [useNetwork(), useMoment()]
const { busy, trouble, send } = useDraft()
const form = ref({ ...network.draft!.place })
const zones = Intl.supportedValuesOf('timeZone')
const gateway = computed(() => network.gateway)
const ahead = computed(() => gateway.value?.ahead ?? 0)
const clock = computed(() => gateway.value?.status && gateway.value.state !== 'away' ? localText(moment.now + ahead.value, gateway.value.status.timeZone).replace('T', ' ') : '')
const verdict = computed(() => {
  if (!gateway.value?.status || gateway.value.state === 'away') return 'The gateway does not answer, so its clock is not known'
  const parts = clockTroubles(gateway.value, network.zone)
  return parts.length === 0 ? 'The gateway’s clock and zone are right' : `Hours would be kept wrongly: ${parts.join(', and ')}`
})
const changed = computed(() => form.value.name.trim() !== network.draft!.place.name || form.value.timeZone !== network.draft!.place.timeZone)
const keep = () => send('PUT', '/api/place', form.value)
</script>

<template>
  <section aria-label="Place">
    <h1><b>{{ verdict }}</b>.</h1>
    <table>
      <tbody>
        <tr><th scope="row">Our clock</th><td>{{ localText(moment.now, network.zone).replace('T', ' ') }}</td><td class="soft">{{ network.zone }}</td></tr>
        <tr><th scope="row">The gateway’s</th><td>{{ clock || 'not known' }}</td><td class="soft">{{ gateway?.status?.timeZone ?? '' }}</td></tr>
      </tbody>
    </table>
    <form class="leaf editor" @submit.prevent="keep">
      <label>Name of the place<input v-model="form.name" required maxlength="200"></label>
      <div class="zone"><span id="zone-label">Its time zone</span><USelectMenu v-model="form.timeZone" :items="zones" aria-labelledby="zone-label" class="w-72" size="lg" /></div>
      <p class="soft">All hours are read off a clock on the wall there. A change goes into the draft and counts once it is put live.</p>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <UButton type="submit" size="sm" :loading="busy" :disabled="!changed">Keep in the draft</UButton>
    </form>
    <NetworkList />
    <GatewaySettings />
    <AccountSettings />
    <TokenList />
  </section>
</template>

<style scoped>
table { margin: 14px 0 20px; font-size: 15px; }
th { text-align: left; font-weight: 400; color: var(--soft); padding: 3px 24px 3px 0; }
td { padding-right: 18px; }
.editor { display: flex; flex-wrap: wrap; gap: 12px 20px; align-items: end; padding: 18px 20px; }
label, .zone { display: flex; flex-direction: column; gap: 3px; font-size: 12.5px; color: var(--soft); }
input { background: var(--paper); border: 1px solid var(--line); border-radius: 4px; padding: 8px 10px; color: var(--ink); font-size: 15px; width: 260px; max-width: 100%; }
p { flex-basis: 100%; }
.trouble { color: var(--needle-text); }
</style>
