<script setup lang="ts">
import { computed, ref } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import type { SightingAnswer } from '../../../protocol/answers.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useOverride } from '../../composables/useOverride.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { lengthWords } from '../../../core/words/length.ts'
import { GUEST_STAYS } from '../../model/networks.ts'
import { networkFinder } from '../../../protocol/everybody.ts'
import { changeNote, sightingsOf, suggestedName } from '../../model/unknown-devices.ts'
import SelectField from '../common/SelectField.vue'
import { devicesText } from '../../text/devices.ts'
import { networksText } from '../../text/settings/networks.ts'
import MarkedText from '../common/MarkedText.vue'

/** An address that belongs to no device yet: what is known of it, and the field that makes a device of it. */
const props = defineProps<{ sighting: SightingAnswer }>()
const emit = defineEmits<{ named: [id: string] }>()
const [draft, gateway, moment] = [useDraftPolicy(), useGateway(), useMoment()]
const { busy, trouble, send, tell, putDevices } = useDraft()
const { busy: isAllowing, make } = useOverride()
const name = ref(suggestedName(props.sighting))
const network = computed(() => networkFinder(draft.policy, [props.sighting])([props.sighting.mac])?.name)
const group = ref('')
const person = ref('')
const choicesOf = (none: string, isPerson: boolean) => [
  { value: '', label: none },
  ...draft.policy.groups
    .filter((entry) => entry.person === isPerson)
    .map((entry) => ({ value: entry.id, label: entry.name })),
]
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
          groups: [group.value, person.value].filter((id) => id !== ''),
        },
  ])
  if (!made) return
  tell(device ? devicesText.addedTo(device.name) : devicesText.savedToDraft(name.value), made.step)
  emit('named', made.ids[0]!)
}
/** Allows a guest's device at once, for as long as a visit lasts. */
const allow = () =>
  make(
    'allow',
    { devices: [], groups: [], macs: [props.sighting.mac] },
    { from: null, lasts: GUEST_STAYS, until: null },
    networksText.allowedFor(props.sighting.hostName ?? props.sighting.mac, lengthWords(GUEST_STAYS)),
  )
async function leave(leftAlone: boolean) {
  await send('PUT', `/api/sightings/${encodeURIComponent(props.sighting.mac)}`, { leftAlone })
}
</script>

<template>
  <form class="card" :data-mac="sighting.mac" @submit.prevent="save">
    <div>
      <p class="what">
        <b class="display">{{ sighting.hostName ?? devicesText.noHostName }}</b>
        <span v-if="changeNote(sighting.mac)" class="note" :title="devicesText.privateAddressWhy">{{
          devicesText.privateAddress
        }}</span>
        <span v-if="sighting.yours" class="yours">{{ devicesText.thisDevice }}</span>
      </p>
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
        <SelectField
          v-model="group"
          :label="devicesText.group"
          :items="choicesOf(devicesText.noGroupChoice, false)"
          class="w-32"
        />
        <SelectField
          v-model="person"
          :label="devicesText.whose"
          :items="choicesOf(devicesText.nobody, true)"
          class="w-28"
        />
      </template>
      <UButton type="submit" :loading="busy" :disabled="owner === '' && name.trim() === ''">{{
        owner === '' ? devicesText.save : devicesText.add
      }}</UButton>
      <UButton :loading="isAllowing" @click="allow">{{
        networksText.allowFor(lengthWords(GUEST_STAYS))
      }}</UButton>
      <UButton class="leave" :disabled="busy" @click="leave(!sighting.leftAlone)">{{
        sighting.leftAlone ? devicesText.showAgain : devicesText.ignore
      }}</UButton>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </form>
</template>

<style scoped>
.card {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 4px 20px;
  align-items: center;
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
.trouble {
  grid-column: 1 / -1;
}
@media (max-width: 1000px) {
  .card {
    grid-template-columns: minmax(0, 1fr);
  }
  .fields {
    flex-wrap: wrap;
  }
}
</style>
