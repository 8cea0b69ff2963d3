<script setup lang="ts">
import { computed, ref } from 'vue'
import type { SiteList } from '../../../core/policy/types.ts'
import { siteCount } from '../../../protocol/brief-list.ts'
import { siteListForm } from '../../../protocol/forms.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import EntryEditor from '../common/EntryEditor.vue'
import TextField from '../common/TextField.vue'
import ListSource from './ListSource.vue'
import SiteField from './SiteField.vue'
import { useLists } from '../../stores/lists.ts'
import { listsText } from '../../text/settings/lists.ts'
import { sitesText } from '../../text/sites.ts'
import MarkedText from '../common/MarkedText.vue'

/** A list of sites under one name. */
const props = defineProps<{ list?: SiteList }>()
/** Tells the id of what was made, `null` where nothing was. */
const emit = defineEmits<{ done: [id: string | null] }>()
const draft = useDraftPolicy()
const edits = useDraft()
const was = props.list
const form = ref({ name: was?.name ?? '', note: was?.note ?? '', entries: was?.entries ?? [] })
const reading = ref(false)
const lists = useLists()
/** Whether the sites come from elsewhere: they are not edited here. */
const hasSource = computed(() => was !== undefined && lists.byList.has(was.id))
const users = computed(() =>
  draft.policy.rules.filter(({ what }) => was && what.siteLists.includes(was.id)).map((rule) => rule.name),
)

async function save() {
  // Sites that came from the source meanwhile stay.
  const entries = hasSource.value ? props.list!.entries : form.value.entries
  const before = hasSource.value ? props.list : was
  const id = await edits.put('siteList', was?.id ?? null, { ...form.value, entries }, before)
  if (id !== null) emit('done', id)
}
async function takeOut(instead?: string | null) {
  if (await edits.remove('siteList', was!, instead)) emit('done', null)
}
</script>

<template>
  <EntryEditor
    :was="was"
    :form="form"
    :schema="siteListForm"
    :draft="edits"
    :others="draft.policy.siteLists"
    copied="siteList"
    :blocked="form.name.trim() === '' || reading"
    @save="save"
    @remove="takeOut"
    @close="emit('done', null)"
  >
    <TextField v-model="form.name" :label="sitesText.name" name="name" class="part" required />
    <TextField v-model="form.note" :label="sitesText.note" name="note" class="part wide" />
    <p v-if="hasSource" class="wide">{{ listsText.fromSource(siteCount(list!)) }}</p>
    <SiteField
      v-else
      v-model="form.entries"
      v-model:busy="reading"
      :label="sitesText.sitesOnePerLine"
      :name="was?.id ?? ''"
    />
    <ListSource v-if="was" :list="was" />
    <p v-if="was" class="wide soft">
      <template v-if="users.length > 0">{{ sitesText.usedBy(users) }}</template>
      <MarkedText v-else v-slot="{ words }" :text="sitesText.listNotUsedYet"
        ><NuxtLink
          :to="was ? `/rules?new=${encodeURIComponent(`list:${was.id}`)}` : '/rules?new'"
          class="link"
          >{{ words }}</NuxtLink
        ></MarkedText
      >
    </p>
  </EntryEditor>
</template>

<style scoped>
.part {
  flex: 1 1 200px;
}
.wide {
  flex: 2 1 300px;
}
p.wide {
  flex-basis: 100%;
}
</style>
