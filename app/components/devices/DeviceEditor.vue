<script setup lang="ts">
import { computed, ref } from 'vue'
import type { AdapterFinding } from '../../../core/findings/adapters.ts'
import type { Device } from '../../../core/policy/types.ts'
import { deviceForm } from '../../../protocol/forms.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { findingWords, KIND_CHOICES } from '../../../core/words/device.ts'
import { peopleOf } from '../../model/people.ts'
import ActButton from '../common/ActButton.vue'
import EntryEditor from '../common/EntryEditor.vue'
import TextField from '../common/TextField.vue'
import AdapterList from './AdapterList.vue'
import SelectField from '../common/SelectField.vue'
import { devicesText } from '../../text/devices.ts'

/** A device's name, kind, adapters, groups, shield and note; every change goes into the draft with "Keep". */
const props = withDefaults(
  defineProps<{ device?: Device; yours?: boolean; findings?: readonly AdapterFinding[] }>(),
  { device: undefined, yours: false, findings: () => [] },
)
const emit = defineEmits<{ done: [] }>()
const [draft, gateway] = [useDraftPolicy(), useGateway()]
const edits = useDraft()
const { busy, putDevices, tell } = edits
/** The device as it was when the editor opened: another window may change it meanwhile. */
const was = props.device
const { id: _id, ...begin }: Omit<Device, 'id'> & { id?: string } = was ?? {
  name: '',
  kind: 'other',
  adapters: [],
  shielded: false,
  note: '',
}
const form = ref<Omit<Device, 'id'>>(begin)
const groups = computed(() => draft.policy.groups.filter(({ person }) => !person))
const groupsBefore = groups.value
  .filter((group) => was && group.members.includes(was.id))
  .map((group) => group.id)
const people = computed(() => [
  { value: '', label: devicesText.nobody },
  ...peopleOf(draft.policy).map(({ id, name }) => ({ value: id, label: name })),
])
const ownerBefore = peopleOf(draft.policy).find(({ members }) => was && members.includes(was.id))?.id ?? ''
const owner = ref(ownerBefore)
/** The groups that it is in then: the person is one of them. */
const joined = computed(() => [...member.value, ...(owner.value === '' ? [] : [owner.value])])
const member = ref([...groupsBefore])
const movedGroups = computed(
  () =>
    owner.value !== ownerBefore || member.value.toSorted().join('\n') !== groupsBefore.toSorted().join('\n'),
)

async function save() {
  if (
    await putDevices([
      { id: was?.id ?? null, device: form.value, groups: movedGroups.value ? joined.value : null, was },
    ])
  )
    emit('done')
}
async function takeOut(instead?: string | null) {
  if (await edits.remove('device', was!, instead)) emit('done')
}
/**
 * Does what a finding proposes: the further adapter goes into the form, two devices become one in the draft.
 */
async function mend(finding: AdapterFinding) {
  if (finding.kind === 'second-adapter') {
    const medium = gateway.sightings.find(({ mac }) => mac === finding.mac)?.medium ?? 'other'
    form.value = { ...form.value, adapters: [...form.value.adapters, { mac: finding.mac, medium }] }
  } else if (finding.kind === 'one-machine') {
    const other = draft.policy.devices.find(({ id }) => id === finding.other)!
    const made = await putDevices(
      [
        {
          id: was!.id,
          device: { ...form.value, adapters: [...form.value.adapters, ...other.adapters] },
          was,
        },
      ],
      [{ id: other.id, instead: was!.id }],
    )
    if (!made) return
    tell(devicesText.isNowPartOf(other.name, form.value.name), made.step)
    emit('done')
  }
}
const mended = (finding: AdapterFinding) =>
  finding.kind === 'second-adapter' && form.value.adapters.some(({ mac }) => mac === finding.mac)
</script>

<template>
  <EntryEditor
    :was="was"
    :form="form"
    :edited="{ form, member, owner }"
    :schema="deviceForm"
    :draft="edits"
    :others="draft.policy.devices"
    :blocked="form.name.trim() === ''"
    @save="save"
    @remove="takeOut"
    @close="emit('done')"
  >
    <ul v-if="findings.length > 0" class="findings" :aria-label="devicesText.warnings">
      <li v-for="(finding, index) in findings" :key="index">
        {{ findingWords(finding, draft.policy).full }}
        <template v-if="mended(finding)">{{ devicesText.addedBelow }}</template>
        <ActButton v-else-if="finding.kind !== 'wifi-missing'" :disabled="busy" @click="mend(finding)">{{
          finding.kind === 'second-adapter' ? devicesText.addItHere : devicesText.mergeThemIntoOneDevice
        }}</ActButton>
      </li>
    </ul>
    <TextField v-model="form.name" :label="devicesText.name" name="name" class="part" required />
    <UFormField :label="devicesText.kind" name="kind"
      ><SelectField v-model="form.kind" :label="devicesText.kind" :items="KIND_CHOICES" class="w-44"
    /></UFormField>
    <TextField v-model="form.note" :label="devicesText.note" name="note" class="part wide" />
    <UFormField :label="devicesText.whose"
      ><SelectField v-model="owner" :label="devicesText.whose" :items="people" class="w-36"
    /></UFormField>
    <AdapterList v-model="form.adapters" />
    <UCheckboxGroup
      v-if="groups.length > 0"
      v-model="member"
      :legend="devicesText.groups"
      orientation="horizontal"
      :items="groups.map((group) => ({ value: group.id, label: group.name }))"
      class="groups"
    />
    <div class="shield">
      <UCheckbox v-model="form.shielded" :label="devicesText.neverBlocked" aria-describedby="shield-help" />
      <span id="shield-help" class="soft">{{ devicesText.neverBlockedWhy(yours) }}</span>
    </div>
  </EntryEditor>
</template>

<style scoped>
.part {
  flex: 1 1 180px;
}
.wide {
  flex: 2 1 200px;
}
.groups {
  flex-basis: 100%;
}
.shield {
  flex-basis: 100%;
  display: flex;
  gap: 4px 14px;
  align-items: baseline;
  flex-wrap: wrap;
}
.shield .soft {
  font-size: 13px;
  flex: 1 1 320px;
}
.findings {
  flex-basis: 100%;
  border-left: 3px solid var(--warn);
  padding-left: 12px;
  font-size: 13px;
}
.findings li {
  padding: 2px 0;
}
</style>
