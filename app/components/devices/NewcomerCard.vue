<script setup lang="ts">
import { computed, ref } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import type { SightingAnswer } from '../../../shared/answers.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useMoment } from '../../stores/moment.ts'
import { useNetwork } from '../../stores/network.ts'
import { lengthWords } from '../../words/time.ts'
import { changeNote, sightingsOf, suggestedName } from './newcomers.ts'

/** An address that belongs to no device yet: what is known of it, and the field that makes a device of it. */
const props = defineProps<{ sighting: SightingAnswer }>()
const emit = defineEmits<{ named: [id: string] }>()
const [network, moment] = [useNetwork(), useMoment()]
const { busy, trouble, put } = useDraft()
const toast = useToast()
const name = ref(suggestedName(props.sighting))
const group = ref('')
/** The device that it looks like: one that was seen under the same host name. */
const alike = computed(() => network.draft!.devices.find(device => props.sighting.hostName !== null
  && sightingsOf(device, network.sightings).some(({ hostName }) => hostName === props.sighting.hostName)))
/** The device that gets it as a further adapter; empty = it becomes a device of its own. */
const owner = ref(alike.value?.id ?? '')

async function keep() {
  const { mac, medium } = props.sighting
  const device = network.draft!.devices.find(({ id }) => id === owner.value)
  if (device) {
    const { id, name, shielded, note, adapters } = device
    if (!await put('devices', id, { name, shielded, note, adapters: [...adapters, { mac, medium: medium ?? 'other' }] })) return
    toast.add({ title: `${name} has a further adapter, in the draft.` })
    emit('named', id)
    return
  }
  const id = await put('devices', null, { name: name.value, adapters: [{ mac, medium: medium ?? 'other' }] })
  if (!id) return
  const into = network.draft!.groups.find(entry => entry.id === group.value)
  if (into) await put('groups', into.id, { name: into.name, note: into.note, members: [...into.members, id] })
  toast.add({ title: `${name.value} is in the draft.` })
  emit('named', id)
}
</script>

<template>
  <form class="leaf card" :data-mac="sighting.mac" @submit.prevent="keep">
    <p class="what"><b class="serif">{{ sighting.hostName ?? 'No host name' }}</b> <span v-if="changeNote(sighting.mac)" class="note" title="Its address is a locally administered one, which many phones change by themselves">{{ changeNote(sighting.mac) }}</span></p>
    <p class="soft">{{ [sighting.mac, sighting.maker, ...sighting.addresses].filter(Boolean).join(', ') }}</p>
    <p class="soft">{{ sighting.medium === 'ethernet' ? 'By cable' : 'By Wi-Fi' }}, first seen {{ lengthWords(moment.now - readInstant(sighting.firstSeen)!) }} ago{{ sighting.connected ? '' : ', not connected now' }}</p>
    <p v-if="alike" class="soft">Looks like the same machine as <b>{{ alike.name }}</b>: it has the same host name.</p>
    <div class="fields">
      <select v-model="owner" aria-label="What it is" class="owner">
        <option value="">is a device of its own</option>
        <option v-for="device in network.draft!.devices" :key="device.id" :value="device.id">is a further adapter of {{ device.name }}</option>
      </select>
    </div>
    <div class="fields">
      <template v-if="owner === ''">
        <input v-model="name" aria-label="Name" required maxlength="200" placeholder="Name it">
        <select v-model="group" aria-label="Group">
          <option value="">in no group</option>
          <option v-for="entry in network.draft!.groups" :key="entry.id" :value="entry.id">{{ entry.name }}</option>
        </select>
      </template>
      <UButton type="submit" size="sm" :loading="busy" :disabled="owner === '' && name.trim() === ''">{{ owner === '' ? 'Name it' : 'Add it there' }}</UButton>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </form>
</template>

<style scoped>
.card { padding: 14px 16px; }
.what b { font-size: 17px; font-weight: 500; }
.note { color: var(--ochre); font-size: 12px; margin-left: 6px; }
.soft { font-size: 12.5px; }
.fields { display: flex; gap: 8px; margin-top: 10px; flex-wrap: wrap; }
.fields input, select { background: var(--paper); border: 1px solid var(--line); border-radius: 4px; padding: 4px 8px; min-width: 0; }
.fields input { flex: 1 1 120px; }
select { flex: 0 1 110px; }
select.owner { flex: 1 1 100%; }
.trouble { color: var(--needle-text); margin-top: 6px; }
</style>
