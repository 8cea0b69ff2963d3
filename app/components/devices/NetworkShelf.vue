<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Network } from '../../../core/policy/types.ts'
import { networkForm } from '../../../protocol/forms.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { foundNetworks } from '../../model/networks.ts'
import { networksOf } from '../../../protocol/everybody.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useLive } from '../../stores/live.ts'
import { networksText } from '../../text/settings/networks.ts'
import ActButton from '../common/ActButton.vue'
import OverrideActs from '../common/OverrideActs.vue'
import InUse from '../common/InUse.vue'

/** The parts of the place, such as a guest Wi-Fi: who is in one, and what one can do with all of them. */
const [draft, gateway, live] = [useDraftPolicy(), useGateway(), useLive()]
const { busy, trouble, inUse, put, remove } = useDraft()
const words = (text: string) => text.split(/[\s,]+/).filter(Boolean)
/** The one that is edited, `id` null for a new one. */
const open = ref<{ id: string | null; name: string; interfaces: string; subnets: string } | null>(null)
const edit = ({ id, name, interfaces, subnets }: Network) => {
  open.value = { id, name, interfaces: interfaces.join(', '), subnets: subnets.join(', ') }
}
const was = computed(() => draft.policy.networks.find((one) => one.id === open.value?.id))
const form = computed(
  () =>
    open.value && {
      name: open.value.name,
      interfaces: words(open.value.interfaces),
      subnets: words(open.value.subnets),
      note: was.value?.note ?? '',
    },
)
async function save() {
  if ((await put('network', open.value!.id, form.value!, was.value)) !== null) open.value = null
}

const where = computed(() => networksOf(draft.policy, gateway.sightings))
const shelves = computed(() =>
  draft.policy.networks.map((network) => ({
    network,
    connected: gateway.sightings.filter(
      ({ mac, connected }) => connected && where.value.get(mac) === network.id,
    ).length,
  })),
)
/** Interfaces of the gateway that no network names yet, with a name for each. */
const found = computed(() =>
  foundNetworks(draft.policy, gateway.answered?.status?.interfaces ?? [], gateway.sightings),
)
const take = (one: (typeof found.value)[number]) =>
  put('network', null, { name: one.suggested, interfaces: [one.name], subnets: [], note: '' })

/** The network for which one chooses an override: it names what is live. */
const quick = ref<string | null>(null)
const isLive = ({ id }: Network) => live.answer.policy.networks.some((network) => network.id === id)
/** The network that was to go last, and is perhaps in use. */
const going = ref<Network | null>(null)
async function takeOut(network: Network, instead?: string | null) {
  going.value = network
  if (await remove('network', network, instead)) going.value = null
}
const actsOf = (network: Network) => [
  [
    ...(isLive(network)
      ? [
          { label: networksText.allowOrBlock, onSelect: () => (quick.value = network.id) },
          {
            label: networksText.guestPassFor,
            onSelect: () => void navigateTo(`/devices?guest=${encodeURIComponent(network.id)}`),
          },
        ]
      : []),
    { label: networksText.edit, onSelect: () => edit(network) },
  ],
  [{ label: networksText.delete, color: 'error' as const, onSelect: () => takeOut(network) }],
]
</script>

<template>
  <section :aria-label="networksText.networks" class="networks">
    <h2>{{ networksText.networks }}</h2>
    <p v-if="draft.policy.networks.length === 0" class="soft">{{ networksText.what }}</p>
    <ul>
      <li v-for="{ network, connected } in shelves" :key="network.id" :data-network="network.id">
        <b class="display">{{ network.name }}</b>
        <UDropdownMenu :items="actsOf(network)"
          ><ActButton
            size="xs"
            variant="ghost"
            icon="i-lucide-ellipsis"
            :aria-label="networksText.actionsOf(network.name)"
            :disabled="busy"
        /></UDropdownMenu>
        <p class="soft">
          {{ [...network.interfaces, ...network.subnets].join(', ') }}.
          {{ networksText.connected(connected) }}
        </p>
        <OverrideActs
          v-if="quick === network.id"
          :who="{ devices: [], groups: [], networks: [network.id] }"
          :name="network.name"
        />
      </li>
      <li v-for="one in found" :key="one.name" class="found" :data-interface="one.name">
        <p class="soft">{{ networksText.found(one.name, one.addresses, one.connected) }}</p>
        <ActButton size="xs" :disabled="busy" @click="take(one)">{{
          networksText.nameIt(one.suggested)
        }}</ActButton>
      </li>
    </ul>
    <UForm v-if="open" :state="form!" :schema="networkForm" :validate-on="[]" class="form" @submit="save">
      <UFormField :label="networksText.name" name="name"
        ><UInput v-model="open.name" maxlength="200" :placeholder="networksText.nameExample" class="w-full"
      /></UFormField>
      <UFormField :label="networksText.interfaces" name="interfaces" :error-pattern="/^interfaces/"
        ><UInput v-model="open.interfaces" placeholder="br-guest" class="w-full"
      /></UFormField>
      <UFormField :label="networksText.addresses" name="subnets" :error-pattern="/^subnets/"
        ><UInput v-model="open.subnets" placeholder="192.0.2.128/25" class="w-full"
      /></UFormField>
      <div>
        <ActButton
          color="primary"
          variant="solid"
          type="submit"
          :loading="busy"
          :disabled="open.name.trim() === ''"
          >{{ networksText.save }}</ActButton
        >
        {{ ' ' }}
        <ActButton variant="ghost" @click="open = null">{{ networksText.cancel }}</ActButton>
      </div>
    </UForm>
    <ActButton v-else size="xs" @click="open = { id: null, name: '', interfaces: '', subnets: '' }">{{
      networksText.add
    }}</ActButton>
    <InUse
      :trouble="trouble"
      :in-use="inUse"
      :busy="busy"
      :others="draft.policy.networks.filter(({ id }) => id !== going?.id)"
      @instead="(other) => going && takeOut(going, other)"
    />
  </section>
</template>

<style scoped>
.networks {
  margin-top: 24px;
}
ul {
  margin: 6px 0 10px;
}
li {
  border-top: 1px solid var(--hair);
  padding: 8px 6px 10px;
}
b {
  font-size: 15px;
  font-weight: 600;
  margin-right: 6px;
}
.soft {
  font-size: 13px;
}
.found .soft {
  margin-bottom: 6px;
}
.form {
  display: grid;
  gap: 10px;
}
</style>
