<script setup lang="ts">
import { ref } from 'vue'
import type { FileFault } from '../../../core/import/lines.ts'
import { readFile } from '../../composables/readFile.ts'
import { saveFile } from '../../composables/saveFile.ts'
import { wholePolicy } from '../../composables/wholePolicy.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import ActButton from '../common/ActButton.vue'
import FileFaults from '../common/FileFaults.vue'
import FileButton from '../common/FileButton.vue'
import { historyText } from '../../text/history.ts'
import MarkedText from '../common/MarkedText.vue'

/** The whole policy of the draft as a file, and a file as the draft: nothing changes where it has a fault. */
const draft = useDraftPolicy()
const { busy, trouble, attempt, tell, send } = useDraft()
const faults = ref<readonly FileFault[]>([])
const over = ref(false)
const name = ref('')
// The reader of YAML is large, and seldom wanted: loaded when it is.
const format = () => import('../../../core/export/policy-file.ts')

async function save(form: 'json' | 'yaml') {
  const { writePolicyFile } = await format()
  const policy = await attempt(() => wholePolicy(draft.policy))
  if (!policy) return
  saveFile(
    `policy.${form}`,
    form === 'json' ? 'application/json' : 'application/yaml',
    writePolicyFile(policy, form),
  )
}
async function open(file: File | undefined) {
  if (!file) return
  const result = await attempt(() => readFile('policy', file))
  if (!result) return
  name.value = file.name
  faults.value = 'faults' in result ? result.faults : []
  if ('faults' in result) return
  const { writePolicyFile } = await format()
  const made = await send<{ step: number | null }>(
    'PUT',
    '/api/draft',
    JSON.parse(writePolicyFile(result.policy, 'json')),
  )
  if (made) tell(made.step === null ? historyText.fileSame : historyText.isNowTheDraft(file.name), made.step)
}
</script>

<template>
  <div
    class="policy"
    :class="{ over }"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="((over = false), open($event.dataTransfer?.files[0]))"
  >
    <p class="ways">
      <span
        ><MarkedText v-slot="{ words, index }" :text="historyText.exportTheDraft"
          ><ActButton @click="save(index === 0 ? 'json' : 'yaml')">{{ words }}</ActButton></MarkedText
        ></span
      >
      <span
        ><MarkedText v-slot="{ words }" :text="historyText.importFileAsDraft"
          ><FileButton :label="words" :disabled="busy" @file="open" /></MarkedText
      ></span>
    </p>
    <FileFaults :name="name" :faults="faults" />
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </div>
</template>

<style scoped>
.policy {
  border: 1px dashed transparent;
  padding: 4px 0;
  margin: 10px 0;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 24px;
}
.policy.over {
  border-color: var(--ink);
}
.trouble {
  margin-top: 6px;
}
</style>
