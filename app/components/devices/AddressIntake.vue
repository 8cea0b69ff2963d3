<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Intake } from '../../../core/import/intake.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useIntake } from '../../composables/useIntake.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { fieldWords } from '../../../core/words/change.ts'
import { mediumWord } from '../../../core/words/device.ts'
import { suggestedName } from '../../model/unknown-devices.ts'
import ActButton from '../common/ActButton.vue'
import FileButton from '../common/FileButton.vue'
import { devicesText } from '../../text/devices.ts'
import MarkedText from '../common/MarkedText.vue'

/** Takes addresses in from whatever is pasted or dropped; nothing counts before what it would do was seen. */
const emit = defineEmits<{ done: [] }>()
const draft = useDraftPolicy()
const { summary, progress, trouble, read } = useIntake()
const { busy, trouble: refused, tell, putDevices } = useDraft()

const text = ref('')
const over = ref(false)
const picked = ref<boolean[]>([])
const names = ref<string[]>([])
const listed = computed(() => summary.value?.items ?? [])
const more = computed(
  () =>
    Object.values(summary.value?.counts ?? {}).reduce((sum, count) => sum + count, 0) - listed.value.length,
)
const useful = (item: Intake) => item.act === 'add' || item.act === 'extend' || item.act === 'update'
watch(text, (value) => read(value.trim() === '' ? null : { source: value, draft: draft.policy }))
watch(summary, () => {
  // A host name makes a suggestion; what a list or a device is called stays as it is.
  names.value = listed.value.map(({ device, groups, id }) =>
    id === null && groups === null ? suggestedName({ hostName: device.name }) : device.name,
  )
  picked.value = listed.value.map((item, index) => useful(item) && names.value[index] !== '')
})
const chosen = computed(() =>
  listed.value.flatMap((item, index) =>
    picked.value[index] && useful(item) ? [{ item, name: names.value[index]!.trim() }] : [],
  ),
)
const nameless = computed(() => chosen.value.some(({ name }) => name === ''))
const outcome = computed(() => {
  const { add = 0, extend = 0, update = 0, known = 0, clash = 0 } = summary.value?.counts ?? {}
  const parts = [
    [add, 'new'],
    [extend, devicesText.withAFurtherAdapter],
    [update, 'changed'],
    [known, devicesText.alreadyKnown],
    [clash, devicesText.inConflict],
  ] as const
  return (
    parts
      .filter(([number]) => number > 0)
      .map(([number, words]) => `${number} ${words}`)
      .join(', ') || devicesText.noAddress
  )
})

function actWords({ act, devices, fields }: Intake): string {
  if (act === 'add') return devicesText.newDevice
  if (act === 'extend') return devicesText.becomesAdapterOf(devices[0]!.name)
  if (act === 'update') return devicesText.changesFields(devices[0]!.name, fieldWords(fields))
  if (act === 'known') return devicesText.knownAs(devices[0]!.name)
  return devices.length === 0
    ? devicesText.listedAbove
    : devicesText.belongsTo(devices.map((device) => device.name))
}
function drop(event: DragEvent) {
  over.value = false
  const file = event.dataTransfer?.files[0]
  if (file) read({ source: file, draft: draft.policy })
}
const open = (file: File) => read({ source: file, draft: draft.policy })
async function save() {
  const made = await putDevices(
    chosen.value.map(({ item: { id, device, groups }, name }) => ({
      id,
      device: { ...device, name },
      groups,
    })),
  )
  if (!made) return
  const { length } = made.ids
  tell(devicesText.devicesSaved(length), made.step)
  emit('done')
}
</script>

<template>
  <form
    class="leaf intake"
    :class="{ over }"
    @submit.prevent="save"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="drop"
  >
    <label for="intake-text">{{ devicesText.pasteHere }}</label>
    <UTextarea
      id="intake-text"
      v-model="text"
      class="w-full"
      :rows="6"
      spellcheck="false"
      :placeholder="devicesText.pasteExamples"
    />
    <p class="from"><FileButton :label="devicesText.chooseAFile" @file="open" /></p>
    <p v-if="progress !== null" role="status" class="soft">
      <progress :value="progress" max="1" :aria-label="devicesText.readingFile" /> {{ devicesText.reading }}
    </p>
    <template v-else-if="summary">
      <p role="status" class="what">
        <MarkedText :text="devicesText.readAs(summary.format, outcome, summary.unreadCount)" />
      </p>
      <ul class="items">
        <li v-for="(item, index) in listed" :key="index" :class="item.act">
          <UCheckbox
            v-model="picked[index]"
            :disabled="!useful(item)"
            :aria-label="devicesText.importOne(names[index] || item.fresh[0]!.mac)"
          />
          <UInput
            v-if="item.act === 'add'"
            v-model="names[index]"
            :aria-label="devicesText.name"
            :placeholder="devicesText.name"
            maxlength="200"
          />
          <span v-else>{{ names[index] }}</span>
          <span class="soft">{{
            item.fresh
              .map((card) => [card.mac, mediumWord(card.medium), card.addresses[0]].filter(Boolean).join(' '))
              .join(', ')
          }}</span>
          <span>{{ actWords(item) }}</span>
        </li>
      </ul>
      <p v-if="more > 0" class="soft">{{ devicesText.andMoreToImport(more) }}</p>
      <ul v-if="summary.unread.length > 0" class="unread" :aria-label="devicesText.unreadLines">
        <li v-for="line in summary.unread" :key="line.line">
          {{ devicesText.line(line.line, line.message) }} <code>{{ line.text }}</code>
        </li>
      </ul>
    </template>
    <p v-if="trouble || refused" class="trouble" role="alert">{{ trouble || refused }}</p>
    <div class="acts">
      <ActButton
        color="primary"
        variant="solid"
        type="submit"
        :loading="busy"
        :disabled="chosen.length === 0 || nameless"
        >{{ chosen.length === 0 ? devicesText.importAll : devicesText.importMany(chosen.length) }}</ActButton
      >
      <ActButton variant="ghost" @click="emit('done')">{{ devicesText.close }}</ActButton>
      <span v-if="nameless" class="soft">{{ devicesText.nameEachOne }}</span>
    </div>
  </form>
</template>

<style scoped>
.intake {
  padding: 16px 18px;
  margin: 14px 0;
  border: 1px dashed transparent;
}
.intake.over {
  border-color: var(--ink);
}
label {
  display: block;
  margin-bottom: 6px;
  color: var(--soft);
}
.what {
  margin: 8px 0;
}
.items {
  max-height: 300px;
  overflow: auto;
  border-top: 1px solid var(--hair);
}
.items li {
  display: grid;
  grid-template-columns: 18px 160px minmax(0, 1fr) minmax(0, 0.7fr);
  gap: 12px;
  align-items: baseline;
  padding: 5px 2px;
  border-bottom: 1px solid var(--hair);
}
.known {
  color: var(--soft);
}
.clash {
  color: var(--danger);
}
.unread {
  margin-top: 8px;
  color: var(--danger);
  font-size: 13px;
  max-height: 120px;
  overflow: auto;
}
code {
  color: var(--soft);
  overflow-wrap: anywhere;
}
.trouble {
  margin-top: 6px;
}
.acts {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 12px;
  flex-wrap: wrap;
}
@media (max-width: 760px) {
  .items li {
    grid-template-columns: 18px minmax(0, 1fr);
  }
  .items li > :nth-child(n + 3) {
    grid-column: 2;
  }
}
</style>
