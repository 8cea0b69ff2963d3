<script setup lang="ts">
import { computed, ref } from 'vue'
import type { App } from '../../../core/policy/types.ts'
import { appForm } from '../../../protocol/forms.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import EntryEditor from '../common/EntryEditor.vue'
import TextField from '../common/TextField.vue'
import AppCoverage from './AppCoverage.vue'
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
const edits = useDraft()
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
  if (await edits.put('app', was?.id ?? null, form.value, was)) emit('done')
}
async function takeOut(instead?: string | null) {
  if (await edits.remove('app', was!, instead)) emit('done')
}
</script>

<template>
  <EntryEditor
    :was="was"
    :form="form"
    :schema="appForm"
    :draft="edits"
    :others="draft.policy.apps"
    copied="app"
    :blocked="form.name.trim() === '' || form.category.trim() === '' || reading"
    @save="save"
    @remove="takeOut"
    @close="emit('done')"
  >
    <TextField v-model="form.name" :label="sitesText.name" name="name" class="part" required />
    <TextField
      v-model="form.category"
      :label="sitesText.category"
      name="category"
      class="part"
      required
      list="app-categories"
      :placeholder="sitesText.categoryExample"
    />
    <datalist id="app-categories">
      <option v-for="category in categories" :key="category" :value="category" />
    </datalist>
    <TextField v-model="form.note" :label="sitesText.note" name="note" class="part wide" />
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
  </EntryEditor>
</template>

<style scoped>
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
</style>
