<script setup lang="ts">
import { ref } from 'vue'
import type { Network } from '../../../core/policy/types.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useNetwork } from '../../stores/network.ts'

/** The parts of the place, such as a guest Wi-Fi: rules can apply to whoever is in one. */
const network = useNetwork()
const { busy, trouble, put, remove } = useDraft()
const words = (text: string) => text.split(/[\s,]+/).filter(Boolean)
/** The one that is edited, `id` null for a new one. */
const open = ref<{ id: string | null, name: string, interfaces: string, subnets: string } | null>(null)
const edit = ({ id, name, interfaces, subnets }: Network) => {
  open.value = { id, name, interfaces: interfaces.join(', '), subnets: subnets.join(', ') }
}
async function save() {
  const { id, name, interfaces, subnets } = open.value!
  const was = network.draft!.networks.find(one => one.id === id)
  const saved = await put('networks', id, { name, interfaces: words(interfaces), subnets: words(subnets), note: was?.note ?? '' }, was)
  if (saved !== null) open.value = null
}
</script>

<template>
  <section aria-label="Networks" class="networks">
    <h2>Networks</h2>
    <p class="soft">Parts of your network, such as a guest Wi-Fi, by the gateway’s interface or by addresses. Rules can apply to the devices in one.</p>
    <p v-if="network.draft!.networks.length === 0 && !open" class="soft">No networks yet.</p>
    <ul>
      <li v-for="one in network.draft!.networks" :key="one.id">
        <b>{{ one.name }}</b> <span class="soft">{{ [...one.interfaces, ...one.subnets].join(', ') }}</span>
        <UButton :aria-label="`Edit ${one.name}`" @click="edit(one)">Edit</UButton>
        <UButton :aria-label="`Delete ${one.name}`" :disabled="busy" @click="remove('networks', one)">Delete</UButton>
      </li>
    </ul>
    <form v-if="open" class="form" @submit.prevent="save">
      <UFormField label="Name"><UInput v-model="open.name" required maxlength="200" placeholder="Guest Wi-Fi" /></UFormField>
      <UFormField label="Interfaces of the gateway"><UInput v-model="open.interfaces" placeholder="br-guest" /></UFormField>
      <UFormField label="Addresses"><UInput v-model="open.subnets" placeholder="192.0.2.128/25" /></UFormField>
      <div class="acts"><UButton color="primary" variant="solid" type="submit" :loading="busy" :disabled="open.name.trim() === ''">Save</UButton> <UButton variant="ghost" @click="open = null">Cancel</UButton></div>
    </form>
    <UButton v-else @click="open = { id: null, name: '', interfaces: '', subnets: '' }">Add a network</UButton>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </section>
</template>

<style scoped>
.networks { margin-top: 30px; }
ul { margin: 8px 0 12px; }
li { display: flex; flex-wrap: wrap; gap: 4px 14px; padding: 5px 0; align-items: baseline; }
.form { display: flex; flex-wrap: wrap; gap: 10px 16px; align-items: end; }
.trouble { color: var(--danger); margin-top: 8px; }
</style>
