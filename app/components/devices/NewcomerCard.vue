<script setup lang="ts">
import { ref } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import type { Sighting } from '../../../gateway/protocol.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useMoment } from '../../stores/moment.ts'
import { useNetwork } from '../../stores/network.ts'
import { lengthWords } from '../../words/time.ts'
import { changeNote, suggestedName } from './newcomers.ts'

/** An address that belongs to no device yet: what is known of it, and the field that makes a device of it. */
const props = defineProps<{ sighting: Sighting }>()
const emit = defineEmits<{ named: [id: string] }>()
const [network, moment] = [useNetwork(), useMoment()]
const { busy, trouble, put } = useDraft()
const toast = useToast()
const name = ref(suggestedName(props.sighting))
const group = ref('')

async function keep() {
  const { mac, medium } = props.sighting
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
    <p class="soft">{{ sighting.mac }}, {{ sighting.addresses[0] }}</p>
    <p class="soft">{{ sighting.medium === 'ethernet' ? 'By cable' : 'By Wi-Fi' }}, first seen {{ lengthWords(moment.now - readInstant(sighting.firstSeen)!) }} ago{{ sighting.connected ? '' : ', not connected now' }}</p>
    <div class="fields">
      <input v-model="name" aria-label="Name" required maxlength="200" placeholder="Name it">
      <select v-model="group" aria-label="Group">
        <option value="">in no group</option>
        <option v-for="entry in network.draft!.groups" :key="entry.id" :value="entry.id">{{ entry.name }}</option>
      </select>
      <UButton type="submit" size="sm" :loading="busy" :disabled="name.trim() === ''">Name it</UButton>
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
.trouble { color: var(--needle-text); margin-top: 6px; }
</style>
