<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { shownSite } from '../../../core/import/site-list.ts'
import { SITE_FORMATS, writeSites, type SiteFormat } from '../../../core/export/site-list.ts'
import { useCustomFault } from '../../composables/useCustomFault.ts'
import { saveFile } from '../../composables/saveFile.ts'
import { useSites } from '../../composables/useIntake.ts'
import ActButton from '../common/ActButton.vue'
import FileButton from '../common/FileButton.vue'
import { sitesText } from '../../text/sites.ts'
import MarkedText from '../common/MarkedText.vue'

/**
 * Sites one a line, typed, pasted or out of a file; what is read, altered, covered or not read is told at
 * once. A long list is shown by its beginning.
 */
const props = defineProps<{ label: string; name: string }>()
const entries = defineModel<readonly string[]>({ required: true })
const busy = defineModel<boolean>('busy', { default: false })
/** The number of sites up to which they are typed; longer lists come out of files. */
const TYPED_UP_TO = 3000
const { summary, progress, trouble, read } = useSites()
const text = ref(entries.value.length > TYPED_UP_TO ? '' : entries.value.map(shownSite).join('\n'))
const long = computed(() => entries.value.length > TYPED_UP_TO)
const over = ref(false)
/** The sites of a file, until one says whether they are added to the entries or replace them. */
const offered = ref<{ file: string; entries: readonly string[] } | null>(null)
let file = ''
const root = ref<HTMLElement | null>(null)
/** What is typed and cannot be read is not saved without it. */
useCustomFault(root, () => {
  const [first] = summary.value?.unread ?? []
  return first && file === '' && !long.value ? sitesText.line(first.line, first.message) : ''
})

watch(text, (value) => {
  file = ''
  busy.value = true
  read({ source: value })
})
watch(summary, (now) => {
  if (!now) return
  busy.value = false
  if (file === '') entries.value = now.entries
  else offered.value = { file, entries: now.entries }
})
// Sites that are added elsewhere on the page stand in the text, too.
watch(entries, (now) => {
  if (!long.value && now.join('\n') !== summary.value?.entries.join('\n'))
    text.value = now.map(shownSite).join('\n')
})
watch(trouble, () => (busy.value = false))
function open(source: File | undefined) {
  if (!source) return
  file = source.name
  read({ source })
}
function take(inPlace: boolean) {
  const next = inPlace ? offered.value!.entries : [...new Set([...entries.value, ...offered.value!.entries])]
  offered.value = null
  file = ''
  entries.value = next
  if (next.length <= TYPED_UP_TO) text.value = next.map(shownSite).join('\n')
}
const ENDING: Readonly<Record<SiteFormat, string>> = { plain: 'txt', hosts: 'hosts', zone: 'zone' }
const save = (format: SiteFormat) =>
  saveFile(`${props.name || 'sites'}.${ENDING[format]}`, 'text/plain', writeSites(entries.value, format))
</script>

<template>
  <div
    ref="root"
    class="sites"
    :class="{ over }"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="((over = false), open($event.dataTransfer?.files[0]))"
  >
    <label v-if="!long" class="above"
      >{{ label
      }}<UTextarea v-model="text" :rows="7" spellcheck="false" :placeholder="sitesText.sitesExample"
    /></label>
    <p v-else class="first">
      {{ sitesText.andSoOn(entries.slice(0, 12).map(shownSite).join(', ')) }}
      <span class="soft">{{ sitesText.editedThroughFiles }}</span>
    </p>
    <p v-if="progress !== null" class="soft" role="status">
      <progress :value="progress" max="1" :aria-label="sitesText.readingFile" /> {{ sitesText.reading }}
    </p>
    <p v-else class="soft" role="status">{{ sitesText.siteCount(entries.length) }}</p>
    <div v-if="offered" class="offer" role="group" :aria-label="sitesText.whatTheFileHolds">
      {{
        sitesText.fileHolds(offered.file, summary?.format ?? '', offered.entries.length.toLocaleString('en'))
      }}
      <ActButton color="primary" variant="solid" @click="take(false)">{{ sitesText.addThem }}</ActButton>
      {{ ' ' }}
      <ActButton v-if="entries.length > 0" @click="take(true)">{{ sitesText.replaceAll }}</ActButton>
      {{ ' ' }}
      <ActButton variant="ghost" @click="offered = null">{{ sitesText.cancel }}</ActButton>
    </div>
    <ul v-if="summary" class="told">
      <li v-for="one in summary.unread" :key="`u${one.line}${one.text}`" class="fault">
        {{ sitesText.line(one.line, one.message) }}
      </li>
      <li v-for="one in summary.altered" :key="`a${one.line}${one.text}`">
        <MarkedText :text="sitesText.lineIsReadAs(one.line, one.text, shownSite(one.entry), one.reason)" />
      </li>
      <li v-for="one in summary.findings" :key="`f${one.entry}`" class="finding">
        {{
          one.kind === 'covered'
            ? sitesText.isAlreadyCoveredBy(shownSite(one.entry), shownSite(one.by))
            : sitesText.coversEveryName(shownSite(one.entry))
        }}
      </li>
      <li v-if="summary.findingCount > summary.findings.length" class="finding">
        {{ sitesText.andMoreLikeThese(summary.findingCount - summary.findings.length) }}
      </li>
    </ul>
    <p v-if="trouble" class="fault" role="alert">{{ trouble }}</p>
    <p class="files">
      <FileButton :label="sitesText.importAFile" @file="open" />
      <span v-if="entries.length > 0" class="soft"
        ><MarkedText v-slot="{ words, index }" :text="sitesText.exportAs"
          ><ActButton @click="save(SITE_FORMATS[index]!)">{{ words }}</ActButton></MarkedText
        ></span
      >
    </p>
  </div>
</template>

<style scoped>
.sites {
  flex: 1 1 100%;
  border: 1px dashed transparent;
}
.sites.over {
  border-color: var(--ink);
}
.first {
  overflow-wrap: anywhere;
}
.told {
  font-size: 13px;
  max-height: 140px;
  overflow: auto;
  margin-top: 4px;
}
.told b {
  font-weight: 600;
}
.finding {
  color: var(--warn);
}
.fault {
  color: var(--danger);
}
.offer {
  padding: 8px 0;
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.files {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
  margin-top: 6px;
  font-size: 13px;
}
</style>
