<script setup lang="ts">
import { computed, ref } from 'vue'
import type { App } from '../../../core/policy/types.ts'
import { appForm } from '../../../protocol/forms.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import EditorActs from '../common/EditorActs.vue'
import AppCoverage from './AppCoverage.vue'
import CopyTo from '../common/CopyTo.vue'
import InUse from '../common/InUse.vue'
import ServiceField from '../common/ServiceField.vue'
import SiteField from './SiteField.vue'
import { sitesText } from '../../text/sites.ts'

/**
 * An app: its names and services under one label, in a category. `sites` are those that a new one begins
 * with.
 */
const props = defineProps<{ app?: App; sites?: readonly string[] }>()
const emit = defineEmits<{ done: [] }>()
const draft = useDraftPolicy()
const { busy, trouble, refuse, inUse, put, remove } = useDraft()
const was = props.app
const form = ref({
  name: was?.name ?? '',
  category: was?.category ?? '',
  note: was?.note ?? '',
  sites: was?.sites ?? props.sites ?? [],
  services: was?.services ?? [],
})
const reading = ref(false)
const categories = computed(() => [...new Set(draft.policy.apps.map(({ category }) => category))])
const users = computed(() =>
  draft.policy.rules
    .filter(({ what }) => was && (what.apps.includes(was.id) || what.categories.includes(was.category)))
    .map((rule) => rule.name),
)

async function save() {
  if (await put('app', was?.id ?? null, form.value, was)) emit('done')
}
async function takeOut(instead?: string | null) {
  if (await remove('app', was!, instead)) emit('done')
}
</script>

<template>
  <UForm :state="form" :schema="appForm" :validate-on="[]" class="leaf editor" @submit="save" @error="refuse">
    <UFormField :label="sitesText.name" name="name" class="part"
      ><UInput v-model="form.name" class="w-full" required maxlength="200"
    /></UFormField>
    <UFormField :label="sitesText.category" name="category" class="part"
      ><UInput
        v-model="form.category"
        class="w-full"
        required
        maxlength="200"
        list="app-categories"
        :placeholder="sitesText.categoryExample"
    /></UFormField>
    <datalist id="app-categories">
      <option v-for="category in categories" :key="category" :value="category" />
    </datalist>
    <UFormField :label="sitesText.note" name="note" class="part wide"
      ><UInput v-model="form.note" class="w-full" maxlength="500"
    /></UFormField>
    <SiteField
      v-model="form.sites"
      v-model:busy="reading"
      :label="sitesText.sitesItUses"
      :name="was?.id ?? ''"
    />
    <fieldset class="wide">
      <legend>{{ sitesText.servicesItUses }}</legend>
      <ServiceField v-model="form.services" />
    </fieldset>
    <AppCoverage
      v-if="form.sites.length > 0"
      :apps="[{ name: form.name, sites: form.sites }]"
      :takes="true"
      @take="form.sites = [...form.sites, $event]"
    />
    <p v-if="was" class="wide soft">
      {{ users.length > 0 ? sitesText.usedBy(users) : sitesText.appNotUsedYet }}
    </p>
    <InUse
      :trouble="trouble"
      :in-use="inUse"
      :busy="busy"
      :others="draft.policy.apps.filter(({ id }) => id !== was?.id)"
      @instead="takeOut"
    />
    <CopyTo v-if="was" kind="app" :entry="was" class="part" />
    <EditorActs
      :form="form"
      :is-new="!was"
      :busy="busy"
      :blocked="form.name.trim() === '' || form.category.trim() === '' || reading"
      @close="emit('done')"
      @remove="takeOut()"
    />
  </UForm>
</template>

<style scoped>
.editor {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 16px;
}
.part {
  flex: 1 1 180px;
}
.wide {
  flex: 2 1 240px;
}
fieldset.wide,
p.wide {
  flex-basis: 100%;
}
legend {
  font-size: 13px;
  color: var(--soft);
  margin-bottom: 4px;
}
</style>
