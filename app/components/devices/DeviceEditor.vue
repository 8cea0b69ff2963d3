<script setup lang="ts">
import { ref } from 'vue'
import type { Device } from '../../../core/policy/types.ts'
import type { SightingAnswer } from '../../../shared/answers.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useNetwork } from '../../stores/network.ts'
import EditorActs from '../shell/EditorActs.vue'

/** A device's name, groups, shield and note; every change goes into the draft with "Keep". */
const props = defineProps<{ device: Device, seen: readonly SightingAnswer[] }>()
const emit = defineEmits<{ done: [] }>()
const network = useNetwork()
const { busy, trouble, put, remove } = useDraft()
const toast = useToast()
/** The device as it was when the editor opened: another window may change it meanwhile. */
const was = props.device
const form = ref({ name: props.device.name, shielded: props.device.shielded, note: props.device.note })
const member = ref(network.draft!.groups.filter(group => group.members.includes(props.device.id)).map(group => group.id))

async function keep() {
  if (!await put('devices', props.device.id, { ...form.value, adapters: was.adapters }, was)) return
  for (const { id, name, note, members } of network.draft!.groups) {
    const [was, is] = [members.includes(props.device.id), member.value.includes(id)]
    if (was === is) continue
    await put('groups', id, { name, note, members: is ? [...members, props.device.id] : members.filter(one => one !== props.device.id) })
  }
  if (!trouble.value) emit('done')
}
async function takeOut() {
  const { id: _id, ...entry } = props.device
  const groups = network.draft!.groups.filter(group => group.members.includes(props.device.id))
  if (!await remove('devices', props.device.id)) return
  emit('done')
  toast.add({ title: `${entry.name} is out of the draft.`, actions: [{ label: 'Undo', onClick: () => void putBack(entry, groups) }] })
}
async function putBack(entry: Omit<Device, 'id'>, groups: readonly { id: string, name: string, note: string, members: readonly string[] }[]) {
  const id = await put('devices', null, entry)
  for (const group of groups) await put('groups', group.id, { name: group.name, note: group.note, members: group.members.map(one => one === props.device.id ? id! : one) })
}
</script>

<template>
  <form class="leaf editor" @submit.prevent="keep">
    <label>Name<input v-model="form.name" required maxlength="200"></label>
    <label class="wide">Note<input v-model="form.note" maxlength="500"></label>
    <fieldset>
      <legend>Groups</legend>
      <label v-for="group in network.draft!.groups" :key="group.id" class="tick"><input v-model="member" type="checkbox" :value="group.id"> {{ group.name }}</label>
    </fieldset>
    <label class="tick shield"><input v-model="form.shielded" type="checkbox"> Shielded: no rule and no override can touch it</label>
    <p v-if="seen.length > 0" class="soft seen">{{ seen.map(one => [one.mac, one.maker, one.hostName, ...one.addresses].filter(Boolean).join(', ')).join('; ') }}</p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <EditorActs :is-new="false" :busy="busy" @close="emit('done')" @remove="takeOut" />
  </form>
</template>

<style scoped>
.editor { display: flex; flex-wrap: wrap; gap: 12px 16px; padding: 16px 18px; margin: 6px 0 12px; }
label { display: flex; flex-direction: column; gap: 3px; font-size: 12.5px; color: var(--soft); flex: 1 1 180px; }
label.wide { flex: 2 1 240px; }
label input:not([type=checkbox]) { background: var(--paper); border: 1px solid var(--line); border-radius: 4px; padding: 5px 9px; color: var(--ink); font-size: 14px; }
fieldset { flex-basis: 100%; display: flex; flex-wrap: wrap; gap: 4px 16px; }
legend { font-size: 12.5px; color: var(--soft); float: left; margin-right: 14px; }
.tick { flex-direction: row; align-items: center; gap: 6px; flex: none; color: var(--ink); font-size: 13px; cursor: pointer; }
.shield { flex-basis: 100%; }
.seen { flex-basis: 100%; font-size: 12.5px; }
.trouble { flex-basis: 100%; color: var(--needle-text); }
</style>
