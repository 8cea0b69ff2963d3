<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { SITE_FORMATS, shownSite, writeSites, type SiteFormat } from '../../../core/formats/site-list.ts'
import { saveFile } from '../../composables/saveFile.ts'
import { useSites } from '../../composables/useIntake.ts'
import FileButton from '../shell/FileButton.vue'
import { countWords } from '../../text/count.ts'

/** Sites one a line, typed, pasted or out of a file; what is read, altered, covered or not read is told at once. A long list is shown by its beginning. */
const props = defineProps<{ label: string, name: string }>()
const entries = defineModel<readonly string[]>({ required: true })
const busy = defineModel<boolean>('busy', { default: false })
/** From so many sites on they are not typed any more, but come out of files. */
const LONG = 3000
const { summary, progress, trouble, read } = useSites()
const text = ref(entries.value.length > LONG ? '' : entries.value.map(shownSite).join('\n'))
const long = computed(() => entries.value.length > LONG)
const over = ref(false)
/** What a file holds, until one says whether it comes beside the entries or in their place. */
const offered = ref<{ file: string, entries: readonly string[] } | null>(null)
let file = ''

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
// What is taken in from elsewhere on the page stands in the text, too.
watch(entries, (now) => {
  if (!long.value && now.join('\n') !== summary.value?.entries.join('\n')) text.value = now.map(shownSite).join('\n')
})
watch(trouble, () => busy.value = false)
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
  if (next.length <= LONG) text.value = next.map(shownSite).join('\n')
}
const FORMAT: Readonly<Record<SiteFormat, string>> = { plain: 'a plain list', hosts: 'a hosts file', zone: 'a policy zone (RPZ)' }
const ENDING: Readonly<Record<SiteFormat, string>> = { plain: 'txt', hosts: 'hosts', zone: 'zone' }
const save = (format: SiteFormat) => saveFile(`${props.name || 'sites'}.${ENDING[format]}`, 'text/plain', writeSites(entries.value, format))
</script>

<template>
  <div class="sites" :class="{ over }" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent="over = false, open($event.dataTransfer?.files[0])">
    <label v-if="!long">{{ label }}<UTextarea v-model="text" :rows="7" spellcheck="false" placeholder="reelbrook.example&#10;203.0.113.0/24" /></label>
    <p v-else class="first">{{ entries.slice(0, 12).map(shownSite).join(', ') }}, and so on. <span class="soft">A list this long is edited through files.</span></p>
    <p v-if="progress !== null" class="soft" role="status"><progress :value="progress" max="1" aria-label="Reading" /> Reading…</p>
    <p v-else class="soft" role="status">{{ countWords(entries.length, 'site') }}; each name also covers the names under it.</p>
    <div v-if="offered" class="offer" role="group" aria-label="What the file holds">
      {{ offered.file }} is {{ summary?.format }} with {{ offered.entries.length.toLocaleString('en') }} sites.
      <UButton color="primary" variant="solid" @click="take(false)">Add them</UButton> <UButton v-if="entries.length > 0" @click="take(true)">Replace all</UButton> <UButton variant="ghost" @click="offered = null">Cancel</UButton>
    </div>
    <ul v-if="summary" class="told">
      <li v-for="one in summary.unread" :key="`u${one.line}${one.text}`" class="fault">Line {{ one.line }}: {{ one.message }}</li>
      <li v-for="one in summary.altered" :key="`a${one.line}${one.text}`">Line {{ one.line }}: {{ one.text }} is read as <b>{{ shownSite(one.entry) }}</b>, {{ one.reason }}.</li>
      <li v-for="one in summary.findings" :key="`f${one.entry}`" class="finding">{{ one.kind === 'covered' ? `${shownSite(one.entry)} is already covered by ${shownSite(one.by)}.` : `${shownSite(one.entry)} covers every name that ends in it.` }}</li>
      <li v-if="summary.findingCount > summary.findings.length" class="finding">and {{ summary.findingCount - summary.findings.length }} more like these.</li>
    </ul>
    <p v-if="trouble" class="fault" role="alert">{{ trouble }}</p>
    <p class="files">
      <FileButton label="Import a file" @file="open" />
      <span v-if="entries.length > 0" class="soft">Export as <template v-for="(format, index) in SITE_FORMATS" :key="format">{{ index > 0 ? ' ' : '' }}<UButton @click="save(format)">{{ FORMAT[format] }}</UButton></template></span>
    </p>
  </div>
</template>

<style scoped>
.sites { flex: 1 1 100%; border: 1px dashed transparent; }
.sites.over { border-color: var(--ink); }
label { display: flex; flex-direction: column; gap: 3px; font-size: 13px; color: var(--soft); }
.first { overflow-wrap: anywhere; }
.told { font-size: 13px; max-height: 140px; overflow: auto; margin-top: 4px; }
.told b { font-weight: 600; }
.finding { color: var(--warn); }
.fault { color: var(--danger); }
.offer { padding: 8px 0; display: flex; flex-wrap: wrap; gap: 8px; align-items: center; }
.files { display: flex; flex-wrap: wrap; gap: 4px 20px; margin-top: 6px; font-size: 13px; }
</style>
