<script setup lang="ts">
import { computed, ref } from 'vue'
import { versionTag } from '../../../core/policy/canonical.ts'
import type { RuleEdits } from '../../../protocol/edits.ts'
import type { Device, Rule } from '../../../core/policy/types.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useLive } from '../../stores/live.ts'
import { KIND_CHOICES, kindWord } from '../../../core/words/device.ts'
import { peopleOf } from '../../model/people.ts'
import ActButton from '../common/ActButton.vue'
import OverrideActs from '../common/OverrideActs.vue'
import { devicesText } from '../../text/devices.ts'

/**
 * The acts on several devices at once: each act is one edit of the draft, and one undo takes it back.
 */
const props = defineProps<{ chosen: readonly Device[] }>()
const emit = defineEmits<{ none: [] }>()
const [draft, live] = [useDraftPolicy(), useLive()]
const { busy, trouble, tell, send, putDevices } = useDraft()
const count = () =>
  props.chosen.length === 1 ? props.chosen[0]!.name : devicesText.deviceCount(props.chosen.length)
const newGroup = ref<string | null>(null)

async function change(
  words: (who: string, count: number) => string,
  wish: (device: Device) => { device?: Partial<Device>; groups?: readonly string[]; person?: string | null },
) {
  const made = await putDevices(
    props.chosen.map((device) => {
      const { device: next = {}, groups = null, person } = wish(device)
      return { id: device.id, device: { ...device, ...next }, groups, person, was: device }
    }),
  )
  if (made) tell(words(count(), props.chosen.length), made.step)
}
const plainGroups = computed(() => draft.policy.groups.filter(({ person }) => !person))
const groupsOf = ({ id }: Device) =>
  draft.policy.groups.filter(({ members }) => members.includes(id)).map((group) => group.id)
const nameOf = (group: string) => draft.policy.groups.find(({ id }) => id === group)?.name ?? group
const put = (group: string) =>
  change(
    (who, some) => devicesText.nowIn(who, some, nameOf(group)),
    (device) => ({ groups: [...groupsOf(device), group] }),
  )
const leave = (group: string) =>
  change(
    (who, some) => devicesText.noLongerIn(who, some, nameOf(group)),
    (device) => ({ groups: groupsOf(device).filter((id) => id !== group) }),
  )
/** Rules for some that the chosen ones can be added to, and one that is begun for them. */
const rules = computed(() => [
  [
    {
      label: devicesText.newRuleFor,
      to: `/rules?new=${encodeURIComponent(`devices:${props.chosen.map(({ id }) => id).join(',')}`)}`,
    },
  ],
  draft.policy.rules
    .filter(({ who }) => !who.everyone)
    .map((rule) => ({ label: rule.name, onSelect: () => addTo(rule) })),
])
async function addTo({ id, ...rule }: Rule) {
  const who = {
    ...rule.who,
    devices: [...new Set([...rule.who.devices, ...props.chosen.map((device) => device.id)])],
  }
  const made = await send<{ step: number | null }>('POST', '/api/rules/many', {
    edits: [{ id, rule: { ...rule, who }, mark: versionTag({ id, ...rule }) }],
    takeOut: [],
  } satisfies RuleEdits)
  if (made) tell(devicesText.ruleAppliesToo(rule.name, count()), made.step)
}
/** An override names what is live; a device that is in the draft only is not yet. */
const quick = ref(false)
const inForce = computed(() =>
  props.chosen
    .map(({ id }) => id)
    .filter((id) => live.answer.policy.devices.some((device) => device.id === id)),
)
async function takeOut() {
  const [words, amount] = [count(), props.chosen.length]
  const made = await putDevices(
    [],
    props.chosen.map(({ id }) => ({ id, instead: null })),
  )
  if (made) tell(devicesText.chosenDeleted(words, amount), made.step)
  if (made) emit('none')
}
async function putIntoNew() {
  if (!newGroup.value?.trim()) return
  await put(newGroup.value.trim())
  newGroup.value = null
}
/** The people that the chosen ones may be given to. */
const owners = computed(() => [
  ...peopleOf(draft.policy).map(({ id, name }) => ({
    label: name,
    onSelect: () =>
      change(
        (who, some) => devicesText.belongsToOf(who, some, name),
        () => ({ person: id }),
      ),
  })),
  {
    label: devicesText.nobody,
    onSelect: () => change(devicesText.belongsToNobody, () => ({ person: null })),
  },
])
const toGroups = computed(() => [
  ...plainGroups.value.map(({ id, name }) => ({ label: name, onSelect: () => put(id) })),
  { label: devicesText.newGroupEntry, onSelect: () => (newGroup.value = '') },
])
const fromGroups = computed(() =>
  plainGroups.value
    .filter(({ members }) => props.chosen.some(({ id }) => members.includes(id)))
    .map(({ id, name }) => ({ label: name, onSelect: () => leave(id) })),
)
const kinds = computed(() =>
  KIND_CHOICES.map(({ value, label }) => ({
    label,
    onSelect: () =>
      change(
        (who, some) => devicesText.markedAs(who, some, kindWord(value)),
        () => ({ device: { kind: value } }),
      ),
  })),
)
</script>

<template>
  <div class="leaf chosen" role="group" :aria-label="devicesText.actionsForTheSelectedDevices">
    <b>{{ devicesText.selected(chosen.length) }}</b>
    <form v-if="newGroup !== null" class="new" @submit.prevent="putIntoNew">
      <UInput
        v-model="newGroup"
        :aria-label="devicesText.nameOfTheNewGroup"
        :placeholder="devicesText.nameOfTheNewGroup"
        maxlength="200"
      />
      {{ ' ' }}
      <ActButton color="primary" variant="solid" type="submit" :disabled="newGroup.trim() === '' || busy">{{
        devicesText.createGroup
      }}</ActButton>
    </form>
    <UDropdownMenu v-else :items="toGroups"
      ><ActButton :disabled="busy" trailing-icon="i-lucide-chevron-down">{{
        devicesText.addToGroup
      }}</ActButton></UDropdownMenu
    >
    <UDropdownMenu v-if="fromGroups.length > 0" :items="fromGroups"
      ><ActButton :disabled="busy" trailing-icon="i-lucide-chevron-down">{{
        devicesText.removeFromGroup
      }}</ActButton></UDropdownMenu
    >
    <UDropdownMenu :items="owners"
      ><ActButton :disabled="busy" trailing-icon="i-lucide-chevron-down">{{
        devicesText.whose
      }}</ActButton></UDropdownMenu
    >
    <UDropdownMenu :items="kinds"
      ><ActButton :disabled="busy" trailing-icon="i-lucide-chevron-down">{{
        devicesText.setKind
      }}</ActButton></UDropdownMenu
    >
    <UDropdownMenu v-if="rules.length > 0" :items="rules"
      ><ActButton :disabled="busy" trailing-icon="i-lucide-chevron-down">{{
        devicesText.addToRule
      }}</ActButton></UDropdownMenu
    >
    <ActButton :aria-expanded="quick" @click="quick = !quick">{{ devicesText.allowOrBlock }}</ActButton>
    <ActButton
      :disabled="busy"
      @click="change(devicesText.neverBlockedFromNowOn, () => ({ device: { shielded: true } }))"
      >{{ devicesText.neverBlock }}</ActButton
    >
    <ActButton
      :disabled="busy"
      @click="change(devicesText.subjectToRulesAgain, () => ({ device: { shielded: false } }))"
      >{{ devicesText.allowRulesAgain }}</ActButton
    >
    <ActButton :disabled="busy" @click="takeOut">{{ devicesText.deleteChosen }}</ActButton>
    <ActButton class="none" @click="emit('none')">{{ devicesText.clearSelection }}</ActButton>
    <OverrideActs v-if="quick" :who="{ devices: inForce, groups: [] }" :name="count()" class="quick" />
    <p v-if="quick && inForce.length < chosen.length" class="soft quick">
      {{ devicesText.onlyInDraft(chosen.length - inForce.length) }}
    </p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </div>
</template>

<style scoped>
.chosen {
  position: sticky;
  top: 136px;
  z-index: 4;
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: center;
  padding: 8px 12px;
  margin-bottom: 8px;
}
.new {
  display: flex;
  gap: 6px;
}
.none {
  margin-left: auto;
}
.quick {
  flex-basis: 100%;
}
.trouble {
  flex-basis: 100%;
}
@media (max-width: 760px) {
  .chosen {
    position: static;
  }
}
</style>
