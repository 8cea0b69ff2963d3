<script setup lang="ts">
import { startOfMinute } from '../../../core/time/duration.ts'
import { computed, ref, watch } from 'vue'
import { decides, timesWithin } from '../../../core/decision/candidate.ts'
import type { Group, Rule } from '../../../core/policy/types.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useLive } from '../../stores/live.ts'
import ActButton from '../common/ActButton.vue'
import OverrideActs from '../common/OverrideActs.vue'
import InUse from '../common/InUse.vue'
import { suggestedPeople } from '../../model/people.ts'
import { DRAGGED } from '../../model/unknown-devices.ts'
import { devicesText } from '../../text/devices.ts'

/**
 * The groups, or the people, with their members, and what each is subject to at the moment; a device dragged
 * onto one joins it.
 */
const props = defineProps<{
  /** Whether those are shown that are people, or those that are not. */
  people: boolean
  /** The group whose override is asked for from elsewhere. */
  asked: string | null
}>()
const [draft, live, moment] = [useDraftPolicy(), useLive(), useMoment()]
const { busy, trouble, inUse, put, putDevices, remove, tell } = useDraft()
const groups = computed(() => draft.policy.groups.filter(({ person }) => person === props.people))
/** The members of a group before *Show all*. */
const FOLDED = 8
const unfolded = ref<string | null>(null)
/** The group for which one chooses an override. */
const quick = ref<string | null>(null)
watch(
  () => props.asked,
  (group) => (quick.value = group ?? quick.value),
  { immediate: true },
)
/** An override names what is live; a group that is in the draft only is not yet. */
const isLive = ({ id }: Group) => live.answer.policy.groups.some((group) => group.id === id)
const over = ref<string | null>(null)
const name = ref('')
const renamed = ref<{ id: string; name: string } | null>(null)
const second = computed(() => startOfMinute(moment.at))
const times = computed(() => timesWithin(draft.policy, second.value, second.value + 1))
const shelves = computed(() =>
  groups.value.map((group) => ({
    group,
    members: draft.policy.devices.filter(({ id }) => group.members.includes(id)),
    rules: draft.policy.rules
      .filter((rule) => rule.who.groups.includes(group.id) && inForce(rule))
      .map((rule) => rule.name),
  })),
)

function inForce(rule: Rule): boolean {
  return decides(rule) && times.value(rule.when).length > 0
}
/** Replaces a group by one with its id, where nobody else changed it meanwhile. */
const change = ({ id, name, note, members, person }: Group) =>
  put(
    'group',
    id,
    { name, note, members, person },
    draft.policy.groups.find((group) => group.id === id),
  )
async function drop(event: DragEvent, group: Group) {
  over.value = null
  const device = event.dataTransfer?.getData(DRAGGED)
  if (!device || group.members.includes(device)) return
  // What becomes somebody's is nobody else's any more.
  if (group.person) await give([device], group.id)
  else await change({ ...group, members: [...group.members, device] })
}
/** Makes devices somebody's: the person with this id or name, made where there is none. */
async function give(devices: readonly string[], person: string) {
  const those = draft.policy.devices.filter(({ id }) => devices.includes(id))
  const made = await putDevices(those.map((device) => ({ id: device.id, device, person, was: device })))
  const name = draft.policy.groups.find(({ id }) => id === person)?.name ?? person
  if (made)
    tell(
      devicesText.belongTo(
        those.map((device) => device.name),
        name,
      ),
      made.step,
    )
}
const suggestions = computed(() => (props.people ? suggestedPeople(draft.policy) : []))
const nameOf = (device: string) => draft.policy.devices.find(({ id }) => id === device)!.name
const leave = (group: Group, device: string) =>
  change({ ...group, members: group.members.filter((id) => id !== device) })
async function add() {
  if (await put('group', null, { name: name.value, person: props.people })) name.value = ''
}
async function rename(group: Group) {
  if (
    renamed.value &&
    renamed.value.name.trim() !== '' &&
    (await change({ ...group, name: renamed.value.name }))
  )
    renamed.value = null
}
const actsOf = (group: Group) => [
  [
    ...(isLive(group) ? [{ label: devicesText.allowOrBlock, onSelect: () => (quick.value = group.id) }] : []),
    { label: devicesText.rename, onSelect: () => (renamed.value = { id: group.id, name: group.name }) },
    {
      label: group.person ? devicesText.isNoPerson : devicesText.isPerson,
      onSelect: () => change({ ...group, person: !group.person }),
    },
  ],
  [{ label: devicesText.deleteChosen, color: 'error' as const, onSelect: () => takeOut(group) }],
]
/** The group that was to go last, and is perhaps in use. */
const going = ref<Group | null>(null)
async function takeOut(group: Group, instead?: string | null) {
  going.value = group
  if (await remove('group', group, instead)) going.value = null
}
</script>

<template>
  <section :aria-label="people ? devicesText.people : devicesText.groups">
    <h2>{{ people ? devicesText.people : devicesText.groups }}</h2>
    <p v-for="one in suggestions" :key="one.name" class="soft suggestion">
      {{ devicesText.areTheseTheirs(one.devices.map(nameOf), one.name) }}
      <ActButton size="xs" :disabled="busy" @click="give(one.devices, one.name)">{{
        devicesText.theyAreTheirs(one.name)
      }}</ActButton>
    </p>
    <ul>
      <li
        v-for="{ group, members, rules } in shelves"
        :key="group.id"
        :class="{ over: over === group.id }"
        @dragover.prevent="over = group.id"
        @dragleave="over = null"
        @drop.prevent="drop($event, group)"
      >
        <form v-if="renamed?.id === group.id" @submit.prevent="rename(group)">
          <UInput
            v-model="renamed.name"
            :aria-label="devicesText.nameOfTheGroup"
            maxlength="200"
            class="w-36"
          />
          {{ ' ' }}
          <ActButton type="submit">{{ devicesText.save }}</ActButton>
        </form>
        <template v-else>
          <b class="display">{{ group.name }}</b>
          <UDropdownMenu :items="actsOf(group)"
            ><ActButton
              size="xs"
              variant="ghost"
              icon="i-lucide-ellipsis"
              :aria-label="devicesText.actionsOf(group.name)"
              :disabled="busy"
          /></UDropdownMenu>
        </template>
        <OverrideActs
          v-if="quick === group.id"
          :who="{ devices: [], groups: [group.id] }"
          :name="group.name"
        />
        <p v-if="rules.length > 0 || !people" class="soft">
          {{ rules.length === 0 ? devicesText.noActiveRule : devicesText.ruleNames(rules) }}
        </p>
        <span
          v-for="device in unfolded === group.id || members.length <= FOLDED + 2
            ? members
            : members.slice(0, FOLDED)"
          :key="device.id"
          class="member"
          >{{ device.name
          }}<ActButton
            size="xs"
            variant="ghost"
            icon="i-lucide-x"
            :aria-label="devicesText.removeFromGroupOf(device.name, group.name)"
            @click="leave(group, device.id)"
        /></span>
        <ActButton
          v-if="members.length > FOLDED + 2"
          size="xs"
          class="fold"
          @click="unfolded = unfolded === group.id ? null : group.id"
          >{{
            unfolded === group.id ? devicesText.showLess : devicesText.andMore(members.length - FOLDED)
          }}</ActButton
        >
        <span v-if="members.length === 0" class="soft">{{ devicesText.noMembersYet }}</span>
      </li>
      <li class="new">
        <form @submit.prevent="add">
          <UInput
            v-model="name"
            :aria-label="people ? devicesText.nameOfANewPerson : devicesText.nameOfANewGroup"
            :placeholder="people ? devicesText.newPerson : devicesText.newGroup"
            maxlength="200"
            class="w-40"
          />
          {{ ' ' }}
          <ActButton type="submit" :disabled="name.trim() === '' || busy">{{ devicesText.add }}</ActButton>
        </form>
      </li>
    </ul>
    <InUse
      :trouble="trouble"
      :in-use="inUse"
      :busy="busy"
      :others="draft.policy.groups.filter(({ id }) => id !== going?.id)"
      @instead="(other) => going && takeOut(going, other)"
    />
  </section>
</template>

<style scoped>
ul {
  margin-top: 6px;
}
li {
  border-top: 1px solid var(--hair);
  padding: 8px 6px 12px;
}
li.over {
  background: var(--leaf);
  box-shadow: inset 0 0 0 1.5px var(--ink);
}
b {
  font-size: 15px;
  font-weight: 600;
  margin-right: 6px;
}
.soft {
  font-size: 13px;
}
.member {
  display: inline-flex;
  align-items: center;
  gap: 2px;
  background: var(--leaf);
  border-radius: 8px;
  padding-left: 10px;
  margin: 4px 6px 0 0;
  font-size: 13px;
}
.suggestion {
  padding: 6px;
}
.fold {
  font-size: 13px;
  margin: 4px 4px 0;
}
</style>
