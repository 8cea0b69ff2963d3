<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Network } from '../../../core/policy/types.ts'
import { networkForm } from '../../../protocol/forms.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { settingsText } from '../../text/settings.ts'

/** The parts of the place, such as a guest Wi-Fi: rules can apply to whoever is in one. */
const draft = useDraftPolicy()
const { busy, trouble, put, remove } = useDraft()
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
</script>

<template>
  <section :aria-label="settingsText.networks" class="networks">
    <h2>{{ settingsText.networks }}</h2>
    <p class="soft">{{ settingsText.networksWhat }}</p>
    <p v-if="draft.policy.networks.length === 0 && !open" class="soft">{{ settingsText.noNetworksYet }}</p>
    <ul>
      <li v-for="one in draft.policy.networks" :key="one.id">
        <b>{{ one.name }}</b> <span class="soft">{{ [...one.interfaces, ...one.subnets].join(', ') }}</span>
        <UButton :aria-label="settingsText.editOne(one.name)" @click="edit(one)">{{
          settingsText.edit
        }}</UButton>
        <UButton
          :aria-label="settingsText.deleteOne(one.name)"
          :disabled="busy"
          @click="remove('network', one)"
          >{{ settingsText.deleteIt }}</UButton
        >
      </li>
    </ul>
    <UForm v-if="open" :state="form!" :schema="networkForm" :validate-on="[]" class="form" @submit="save">
      <UFormField :label="settingsText.name" name="name"
        ><UInput v-model="open.name" maxlength="200" :placeholder="settingsText.networkExample"
      /></UFormField>
      <UFormField
        :label="settingsText.interfacesOfTheGateway"
        name="interfaces"
        :error-pattern="/^interfaces/"
        ><UInput v-model="open.interfaces" placeholder="br-guest"
      /></UFormField>
      <UFormField :label="settingsText.addresses" name="subnets" :error-pattern="/^subnets/"
        ><UInput v-model="open.subnets" placeholder="192.0.2.128/25"
      /></UFormField>
      <div class="acts">
        <UButton
          color="primary"
          variant="solid"
          type="submit"
          :loading="busy"
          :disabled="open.name.trim() === ''"
          >{{ settingsText.save }}</UButton
        >
        {{ ' ' }}
        <UButton variant="ghost" @click="open = null">{{ settingsText.cancel }}</UButton>
      </div>
    </UForm>
    <UButton v-else @click="open = { id: null, name: '', interfaces: '', subnets: '' }">{{
      settingsText.addANetwork
    }}</UButton>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </section>
</template>

<style scoped>
.networks {
  margin-top: 30px;
}
ul {
  margin: 8px 0 12px;
}
li {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  padding: 5px 0;
  align-items: baseline;
}
.form {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 16px;
  align-items: end;
}
.trouble {
  color: var(--danger);
  margin-top: 8px;
}
</style>
