<script setup lang="ts">
import { computed, ref } from 'vue'
import type { CatalogueRow } from '../../../core/import/app-catalogue.ts'
import type { FileFault } from '../../../core/import/lines.ts'
import { versionTag } from '../../../core/policy/canonical.ts'
import { readFile } from '../../composables/readFile.ts'
import { saveFile } from '../../composables/saveFile.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import ActButton from '../common/ActButton.vue'
import FileFaults from '../common/FileFaults.vue'
import FileButton from '../common/FileButton.vue'
import { sitesText } from '../../text/sites.ts'
import MarkedText from '../common/MarkedText.vue'

/**
 * The apps as a catalogue that can be given away, and one taken in: what is new or other is shown and chosen
 * first.
 */
const draft = useDraftPolicy()
const { busy, trouble, attempt, tell, send } = useDraft()
const faults = ref<readonly FileFault[]>([])
const name = ref('')
const offered = ref<readonly (CatalogueRow & { taken: boolean })[] | null>(null)
const over = ref(false)
const news = computed(() => offered.value?.filter(({ change }) => change !== 'same') ?? [])
const same = computed(() => (offered.value?.length ?? 0) - news.value.length)
const taken = computed(() => news.value.filter((row) => row.taken))
// The reader of YAML is large, and seldom wanted: loaded when it is.
const format = () => import('../../../core/export/app-catalogue.ts')

async function save() {
  saveFile('apps.yaml', 'application/yaml', (await format()).writeCatalogue(draft.policy.apps))
}
async function open(file: File | undefined) {
  if (!file) return
  const result = await attempt(() => readFile('catalogue', file, draft.policy.apps))
  if (!result) return
  name.value = file.name
  faults.value = 'faults' in result ? result.faults : []
  offered.value = 'rows' in result ? result.rows.map((row) => ({ ...row, taken: true })) : null
}
async function take() {
  const edits = taken.value.map(({ app, was }) => ({
    id: was?.id ?? null,
    app,
    mark: was && versionTag(was),
  }))
  const made = await send<{ step: number | null }>('POST', '/api/apps/many', { edits })
  if (!made) return
  offered.value = null
  tell(sitesText.appsSaved(edits.length), made.step)
}
const parts = ({ app }: CatalogueRow) => [...app.sites, ...app.services].join(', ')
</script>

<template>
  <div
    class="catalogue"
    :class="{ over }"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="((over = false), open($event.dataTransfer?.files[0]))"
  >
    <p class="soft">
      <ActButton :disabled="draft.policy.apps.length === 0" @click="save">{{
        sitesText.exportAllApps
      }}</ActButton>
      {{ ' ' }}
      <MarkedText v-slot="{ words }" :text="sitesText.importOrDrop"
        ><FileButton :label="words" :disabled="busy" @file="open"
      /></MarkedText>
    </p>
    <FileFaults :name="name" :faults="faults" />
    <div v-if="offered" class="leaf offer" role="group" :aria-label="sitesText.whatHolds(name)">
      <p v-if="news.length === 0">
        {{ offered.length === 0 ? sitesText.containsNoApps(name) : sitesText.allAlreadyHere(name) }}
        <ActButton @click="offered = null">{{ sitesText.close }}</ActButton>
      </p>
      <template v-else>
        <ul>
          <li v-for="row in news" :key="row.app.name">
            <UCheckbox v-model="row.taken" :label="row.app.name" />
            {{ ' ' }}
            <span class="soft">{{ row.app.category }}</span>
            <span class="soft parts">{{ parts(row) }}</span><span
              :class="{ changed: row.change === 'changed' }"
              >{{ row.change === 'added' ? sitesText.newEntry : sitesText.replaces(row.was!.name) }}</span
            >
          </li>
        </ul>
        <p v-if="same > 0" class="soft">{{ sitesText.moreAlreadyHere(same) }}</p>
        <p class="acts">
          <ActButton
            color="primary"
            variant="solid"
            :loading="busy"
            :disabled="taken.length === 0"
            @click="take"
            >{{ sitesText.importMany(taken.length) }}</ActButton
          >
          {{ ' ' }}
          <ActButton @click="offered = null">{{ sitesText.cancel }}</ActButton>
        </p>
      </template>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </div>
</template>

<style scoped>
.catalogue {
  border: 1px dashed transparent;
  margin-top: 12px;
}
.catalogue.over {
  border-color: var(--ink);
}
.offer {
  padding: 12px 16px;
  margin: 8px 0;
}
.offer ul {
  max-height: 360px;
  overflow: auto;
}
.offer li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 90px minmax(0, 2fr) minmax(0, 1fr);
  gap: 2px 14px;
  padding: 4px 0;
  border-bottom: 1px solid var(--hair);
  align-items: baseline;
}
.parts {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.changed {
  color: var(--warn);
}
.acts {
  display: flex;
  gap: 16px;
  align-items: center;
  margin-top: 10px;
}
.trouble {
  margin-top: 6px;
}
@media (max-width: 760px) {
  .offer li {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
