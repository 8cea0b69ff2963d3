<script setup lang="ts">
import { computed, ref } from 'vue'
import { MINUTE } from '../../../core/time/duration.ts'
import { readInstant } from '../../../core/time/instant.ts'
import type { SightingAnswer } from '../../../protocol/answers.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useOverride } from '../../composables/useOverride.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { usePlace } from '../../stores/place.ts'
import { lengthWords } from '../../../core/words/length.ts'
import { tonightOf } from '../../model/board/day-ends.ts'
import { networkFinder } from '../../../protocol/everybody.ts'
import { changeNote, sightingsOf, suggestedName } from '../../model/unknown-devices.ts'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'
import { devicesText } from '../../text/devices.ts'
import MarkedText from '../common/MarkedText.vue'

/** An address that belongs to no device yet: what is known of it, and the field that makes a device of it. */
const props = defineProps<{
  sighting: SightingAnswer
  /** The device whose rules it is offered at first. */
  likeAtFirst?: string
}>()
const emit = defineEmits<{ named: [id: string] }>()
const [draft, gateway, moment, place] = [useDraftPolicy(), useGateway(), useMoment(), usePlace()]
const { busy, trouble, send, tell, putDevices } = useDraft()
const { busy: isAllowing, make } = useOverride()
const name = ref(suggestedName(props.sighting))
const network = computed(() => networkFinder(draft.policy, [props.sighting])([props.sighting.mac])?.name)
const person = ref('')
const choicesOf = (kind: string, entries: readonly { id: string; name: string }[]) =>
  entries.map(({ id, name }) => ({ value: `${kind}${id}`, label: name }))
const people = computed(() => [
  { value: '', label: devicesText.nobody },
  ...choicesOf(
    '',
    draft.policy.groups.filter((entry) => entry.person),
  ),
])
/** The rules that apply to it: those of a group, or the same as to a device. */
const [GROUP, LIKE] = ['group ', 'like ']
const rules = ref(props.likeAtFirst === undefined ? '' : `${LIKE}${props.likeAtFirst}`)
const ruleChoices = computed(() => [
  { value: '', label: devicesText.noGroupChoice },
  ...choicesOf(
    GROUP!,
    draft.policy.groups.filter((entry) => !entry.person),
  ),
  ...choicesOf(LIKE!, draft.policy.devices).map(({ value, label }) => ({
    value,
    label: devicesText.sameRulesAs(label),
  })),
])
const like = computed(() => (rules.value.startsWith(LIKE!) ? rules.value.slice(LIKE!.length) : undefined))
/** The rules that name the device whose rules it shares, by itself or by a group. */
const alikeRules = computed(() => {
  const id = like.value
  if (id === undefined) return []
  const own = draft.policy.groups.filter((entry) => !entry.person && entry.members.includes(id))
  return draft.policy.rules
    .filter(({ who }) => who.devices.includes(id) || own.some((entry) => who.groups.includes(entry.id)))
    .map((rule) => rule.name)
})
/** The device that it looks like: one that was seen under the same host name. */
const alike = computed(() =>
  draft.policy.devices.find(
    (device) =>
      props.sighting.hostName !== null &&
      sightingsOf(device, gateway.sightings).some(({ hostName }) => hostName === props.sighting.hostName),
  ),
)
const owners = computed(() => [
  { value: '', label: devicesText.newDeviceTitle },
  ...draft.policy.devices.map(({ id, name }) => ({ value: id, label: devicesText.anotherAdapterOf(name) })),
])
/** The device that gets it as a further adapter; empty = it becomes a device of its own. */
const owner = ref(alike.value?.id ?? '')

async function save() {
  const device = draft.policy.devices.find(({ id }) => id === owner.value)
  const adapter = { mac: props.sighting.mac, medium: props.sighting.medium ?? 'other' }
  const made = await putDevices([
    device
      ? { id: device.id, device: { ...device, adapters: [...device.adapters, adapter] }, was: device }
      : {
          id: null,
          device: { name: name.value, adapters: [adapter] },
          groups: rules.value.startsWith(GROUP!) ? [rules.value.slice(GROUP!.length)] : null,
          person: person.value === '' ? null : person.value,
          like: like.value,
        },
  ])
  if (!made) return
  tell(device ? devicesText.addedTo(device.name) : devicesText.savedToDraft(name.value), made.step)
  emit('named', made.ids[0]!)
}
const called = computed(() => props.sighting.hostName ?? props.sighting.mac)
const whom = { devices: [], groups: [], macs: [props.sighting.mac] }
/** Allows a guest's device at once, until the day ends. */
function allow() {
  const until = tonightOf([], moment.now, place.zone)
  return make('allow', whom, { from: null, lasts: null, until }, devicesText.guestUntilMidnight(called.value))
}
/** Blocks it for a minute, so that one sees whose screen stops. */
const block = () =>
  make('block', whom, { from: null, lasts: MINUTE, until: null }, devicesText.blockedForAMinute(called.value))
async function leave(leftAlone: boolean) {
  await send('PUT', `/api/sightings/${encodeURIComponent(props.sighting.mac)}`, { leftAlone })
}
</script>

<template>
  <form class="card" :data-mac="sighting.mac" @submit.prevent="save">
    <div>
      <div class="what">
        <b class="display">{{ sighting.hostName ?? devicesText.noHostName }}</b>
        <details v-if="changeNote(sighting.mac)" class="note">
          <summary>{{ devicesText.privateAddress }}</summary>
          {{ devicesText.privateAddressWhy }}
        </details>
        <span v-if="sighting.yours" class="yours">{{ devicesText.thisDevice }}</span>
      </div>
      <p class="soft">
        {{ [sighting.mac, sighting.maker, ...sighting.addresses, network].filter(Boolean).join(', ') }}
      </p>
      <p class="soft">
        {{
          devicesText.unknownSeen(
            sighting.medium === 'ethernet',
            lengthWords(moment.now - readInstant(sighting.firstSeen)!),
            sighting.connected,
          )
        }}
        <span v-if="alike" class="alike"><MarkedText :text="devicesText.probablySame(alike.name)" /></span>
      </p>
    </div>
    <div class="fields">
      <SelectField
        v-model="owner"
        :label="devicesText.whatItIs"
        :items="owners"
        class="owner"
        :class="{ long: owner !== '' }"
      />
      <template v-if="owner === ''">
        <UInput
          v-model="name"
          :aria-label="devicesText.name"
          class="w-36"
          required
          maxlength="200"
          :placeholder="devicesText.name"
        />
        <SelectField v-model="person" :label="devicesText.whose" :items="people" class="w-28" />
        <SelectField
          v-model="rules"
          :label="devicesText.groupOrSameRules"
          :items="ruleChoices"
          class="w-44"
        />
      </template>
      <ActButton type="submit" :loading="busy" :disabled="owner === '' && name.trim() === ''">{{
        owner === '' ? devicesText.save : devicesText.add
      }}</ActButton>
      <ActButton :loading="isAllowing" @click="allow">{{ devicesText.guestUntilTonight }}</ActButton>
      <ActButton :loading="isAllowing" :title="devicesText.whoseScreenStops" @click="block">{{
        devicesText.blockForAMinute
      }}</ActButton>
      <ActButton class="leave" :disabled="busy" @click="leave(!sighting.leftAlone)">{{
        sighting.leftAlone ? devicesText.showAgain : devicesText.ignore
      }}</ActButton>
    </div>
    <p v-if="alikeRules.length > 0" class="rules soft" role="status">
      {{ devicesText.thenRulesName(alikeRules) }}
    </p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </form>
</template>

<style scoped>
.card {
  display: grid;
  gap: 8px;
  padding: 9px 14px;
}
.what b {
  font-size: 16px;
  font-weight: 500;
  margin-right: 6px;
}
.note {
  color: var(--warn);
  font-size: 13px;
}
.yours {
  color: var(--danger);
  font-weight: 600;
  font-size: 13px;
  margin-left: 6px;
}
.soft {
  font-size: 13px;
}
.alike {
  color: var(--ink);
}
.fields {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.fields .owner {
  width: 178px;
}
.fields .owner.long {
  width: 290px;
}
.leave {
  color: var(--soft);
}
.trouble,
.rules {
  grid-column: 1 / -1;
}
details {
  display: inline-block;
  vertical-align: top;
  max-width: 52ch;
}
summary {
  cursor: pointer;
}
</style>
