<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Moment } from '../../../core/decision/moment.ts'
import { instantText } from '../../../core/time/instant.ts'
import type { Effect } from '../../../core/policy/types.ts'
import { callApi, wordsOf } from '../../composables/useApi.ts'
import { useMoment } from '../../stores/moment.ts'
import { useNetwork } from '../../stores/network.ts'
import { overridesOf } from './overrides.ts'

/** Quick exceptions for one device: they count at once and end by themselves. */
const props = defineProps<{ device: string, name: string, standing: Moment }>()
const [network, moment] = [useNetwork(), useMoment()]
const toast = useToast()
const busy = ref(false)
const running = computed(() => overridesOf(network.live!.policy, { device: props.device, mac: null })
  .find(({ at, who }) => who.devices.length === 1 && at.from <= moment.now && moment.now < at.until))
/** Whether this is the machine that the page is shown on: cutting that off asks first. */
const own = computed(() => network.draft!.devices.some(({ id, adapters }) => id === props.device && adapters.some(({ mac }) => network.sightings.some(sighting => sighting.yours && sighting.mac === mac))))
const asking = ref(false)
const shielded = computed(() => props.standing.because?.kind === 'shielded')

async function act(words: string, work: () => Promise<unknown>) {
  busy.value = true
  try {
    await work()
    toast.add({ title: words })
  } catch (error) {
    toast.add({ title: wordsOf(error), color: 'error' })
  } finally {
    busy.value = false
  }
}
function override(effect: Effect, minutes: number) {
  const now = Math.floor(Date.now() / 1000)
  const who = { devices: [props.device] }
  return act(`${props.name} is ${effect === 'allow' ? 'open' : 'cut off'} for ${minutes} minutes.`, () =>
    callApi('POST', '/api/overrides', { effect, who, from: instantText(now), until: instantText(now + minutes * 60) }))
}
const lift = () => act('The override is lifted.', () => callApi('DELETE', `/api/overrides/${encodeURIComponent(running.value!.id)}`))
</script>

<template>
  <div v-if="!shielded" class="acts">
    <UButton v-if="running" size="xs" :loading="busy" @click="lift">Lift the override</UButton>
    <template v-else>
      <UButton size="xs" :loading="busy" @click="override('allow', 30)">Open for 30 min</UButton>
      <UButton size="xs" variant="outline" color="neutral" :disabled="busy" @click="own && !asking ? asking = true : (asking = false, override('block', 30))">{{ asking ? 'Cut it off all the same' : 'Cut off for 30 min' }}</UButton>
      <p v-if="asking" class="soft" role="alert">You are using this machine right now. Kairostat stays within its reach, the internet does not. <button type="button" class="link" @click="asking = false">Leave it open</button></p>
    </template>
  </div>
</template>

<style scoped>
.acts { display: flex; gap: 6px; flex-wrap: wrap; }
</style>
