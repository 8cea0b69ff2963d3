<script setup lang="ts">
import { ref } from 'vue'
import type { Device, DeviceKind } from '../../../core/policy/types.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useNetwork } from '../../stores/network.ts'
import { KIND_CHOICES, kindWord } from '../../text/device.ts'

/** What can be done to several devices at once: each act is one edit of the draft, and one undo takes it back. */
const props = defineProps<{ chosen: readonly Device[] }>()
const emit = defineEmits<{ none: [] }>()
const network = useNetwork()
const { busy, trouble, tell, putDevices } = useDraft()
const count = () => props.chosen.length === 1 ? props.chosen[0]!.name : `${props.chosen.length} devices`
const verb = () => props.chosen.length === 1 ? 'is' : 'are'
const newGroup = ref<string | null>(null)

async function change(words: string, wish: (device: Device) => { device?: Partial<Device>, groups?: readonly string[] }) {
  const made = await putDevices(props.chosen.map((device) => {
    const { device: next = {}, groups = null } = wish(device)
    return { id: device.id, device: { ...device, ...next }, groups, was: device }
  }))
  if (made) tell(`${count()} ${words}.`, made.step)
}
const groupsOf = ({ id }: Device) => network.draft!.groups.filter(({ members }) => members.includes(id)).map(group => group.id)
const nameOf = (group: string) => network.draft!.groups.find(({ id }) => id === group)?.name ?? group
const put = (group: string) => change(`${verb()} in ${nameOf(group)}`, device => ({ groups: [...groupsOf(device), group] }))
const leave = (group: string) => change(`${verb()} no longer in ${nameOf(group)}`, device => ({ groups: groupsOf(device).filter(id => id !== group) }))
async function takeOut() {
  const words = count()
  const made = await putDevices([], props.chosen.map(({ id }) => ({ id, instead: null })))
  if (made) tell(`${words} ${verb()} deleted from the draft, from groups and rules too.`, made.step)
  if (made) emit('none')
}
async function putIntoNew() {
  if (!newGroup.value?.trim()) return
  await put(newGroup.value.trim())
  newGroup.value = null
}
/** A menu that acts on what is chosen from it, and then stands at its title again. */
function pick(event: Event, act: (value: string) => unknown) {
  const menu = event.target as HTMLSelectElement
  if (menu.value !== '') void act(menu.value)
  menu.value = ''
}
const intoGroup = (value: string) => value === 'new:' ? newGroup.value = '' : put(value.slice(3))
</script>

<template>
  <div class="leaf chosen" role="group" aria-label="Actions for the selected devices">
    <b>{{ chosen.length }} selected</b>
    <form v-if="newGroup !== null" class="new" @submit.prevent="putIntoNew"><input v-model="newGroup" aria-label="Name of the new group" placeholder="Name of the new group" maxlength="200"> <UButton type="submit" size="xs" :disabled="newGroup.trim() === '' || busy">Create group</UButton></form>
    <select v-else aria-label="Add to a group" :disabled="busy" @change="pick($event, intoGroup)">
      <option value="">Add to group…</option>
      <option v-for="group in network.draft!.groups" :key="group.id" :value="`id:${group.id}`">{{ group.name }}</option>
      <option value="new:">New group…</option>
    </select>
    <select aria-label="Remove from a group" :disabled="busy" @change="pick($event, leave)">
      <option value="">Remove from group…</option>
      <option v-for="group in network.draft!.groups.filter(({ members }) => chosen.some(({ id }) => members.includes(id)))" :key="group.id" :value="group.id">{{ group.name }}</option>
    </select>
    <select aria-label="Set their kind" :disabled="busy" @change="pick($event, kind => change(`${verb()} marked as ${kindWord(kind as DeviceKind)}`, () => ({ device: { kind: kind as DeviceKind } })))">
      <option value="">Set kind…</option>
      <option v-for="{ kind, words } in KIND_CHOICES" :key="kind" :value="kind">{{ words }}</option>
    </select>
    <button type="button" class="link" :disabled="busy" @click="change(`${verb()} never blocked from now on`, () => ({ device: { shielded: true } }))">Never block</button>
    <button type="button" class="link" :disabled="busy" @click="change(`${verb()} subject to rules again`, () => ({ device: { shielded: false } }))">Allow rules again</button>
    <button type="button" class="link" :disabled="busy" @click="takeOut">Delete</button>
    <button type="button" class="link none" @click="emit('none')">Clear selection</button>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </div>
</template>

<style scoped>
.chosen { position: sticky; top: 136px; z-index: 4; display: flex; flex-wrap: wrap; gap: 6px 12px; align-items: center; padding: 8px 12px; margin-bottom: 8px; }
select, input { max-width: 118px; }
.new { display: flex; gap: 6px; }
.none { margin-left: auto; color: var(--soft); }
.trouble { flex-basis: 100%; color: var(--danger); }
@media (max-width: 760px) { .chosen { position: static; } }
</style>
