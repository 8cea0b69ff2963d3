<script setup lang="ts">
import { computed, ref } from 'vue'
import { writeDevices } from '../../../core/export/device-csv.ts'
import ActButton from '../../components/common/ActButton.vue'
import AddressIntake from '../../components/devices/AddressIntake.vue'
import ChosenActs from '../../components/devices/ChosenActs.vue'
import DeviceEditor from '../../components/devices/DeviceEditor.vue'
import KindDrawings from '../../components/devices/KindDrawings.vue'
import DeviceRow from '../../components/devices/DeviceRow.vue'
import GuestPass from '../../components/devices/GuestPass.vue'
import GroupShelf from '../../components/devices/GroupShelf.vue'
import NetworkShelf from '../../components/devices/NetworkShelf.vue'
import NewcomerCard from '../../components/devices/NewcomerCard.vue'
import LongList from '../../components/common/LongList.vue'
import { matchesSearch, newcomersOf } from '../../model/unknown-devices.ts'
import { deviceRows, ORDERS, type Order } from '../../model/device-rows.ts'
import { saveFile } from '../../composables/saveFile.ts'
import { useOpened } from '../../composables/useOpened.ts'
import { useBoard } from '../../stores/board.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { capital } from '../../../core/words/rule.ts'
import SelectField from '../../components/common/SelectField.vue'
import EntryHead from '../../components/common/EntryHead.vue'
import RowTick from '../../components/common/RowTick.vue'
import { networksText } from '../../text/settings/networks.ts'
import { devicesText } from '../../text/devices.ts'

definePageMeta({ key: 'devices' })
useHead({ title: devicesText.pageTitle })
const [draft, gateway, board] = [useDraftPolicy(), useGateway(), useBoard()]
const search = ref('')
const ORDER_CHOICES = (Object.keys(ORDERS) as Order[]).map((value) => ({
  value,
  label: devicesText.orders[value],
}))
const order = ref<Order>('name')
const opened = useOpened('/devices')
const open = opened.entry
const isNew = computed(() => opened.begun.value !== null)
const edited = computed(() => all.value.find(({ device }) => device.id === open.value))
/** The group whose override was asked for elsewhere (`?group=office`). */
const route = useRoute()
const asked = computed(() => (typeof route.query.group === 'string' ? route.query.group : null))
/** The guest pass that is asked for, by its network (`?guest=guest-wi-fi`, `?guest` = any); `null` = none. */
/** The device whose rules the newest unknown one is offered. */
const likeAtFirst = typeof route.query.like === 'string' ? route.query.like : undefined
const guest = computed(() => (route.query.guest === undefined ? null : String(route.query.guest ?? '')))
const taking = ref(false)
const showLeft = ref(false)
const picked = ref<ReadonlySet<string>>(new Set())

const newcomers = computed(() => newcomersOf(draft.policy, gateway.sightings))
const waiting = computed(() => newcomers.value.filter(({ leftAlone }) => !leftAlone))
const left = computed(() => newcomers.value.filter(({ leftAlone }) => leftAlone))
const cards = computed(() =>
  (showLeft.value ? [...waiting.value, ...left.value] : waiting.value).filter((sighting) =>
    matchesSearch(null, [sighting], search.value),
  ),
)
const standing = computed(() => new Map(board.rows.map((row, index) => [row.key, board.moments[index]!])))
const all = computed(() => deviceRows(draft.policy, gateway.sightings, standing.value))
const rows = computed(() =>
  all.value.filter(({ device, seen }) => matchesSearch(device, seen, search.value)).sort(ORDERS[order.value]),
)
/** Acts concern devices in sight: a device that the search leaves out is not chosen. */
const chosen = computed(() =>
  rows.value.filter(({ device }) => picked.value.has(device.id)).map(({ device }) => device),
)
const allChosen = computed(
  () => rows.value.length > 0 && rows.value.every(({ device }) => picked.value.has(device.id)),
)
const toLookAt = computed(() => all.value.filter(({ findings }) => findings.length > 0).length)
const headline = computed(() =>
  waiting.value.length === 0
    ? devicesText.noUnknownOnes(draft.policy.devices.length)
    : devicesText.unknownOnNetwork(waiting.value.length),
)

let last: number | null = null
/** Chooses a row or not; with Shift all rows since the last one as well. */
function pick(index: number, event: MouseEvent) {
  const checked = !picked.value.has(rows.value[index]!.device.id)
  const from = event.shiftKey && last !== null ? last : index
  const next = new Set(picked.value)
  for (const { device } of rows.value.slice(Math.min(from, index), Math.max(from, index) + 1)) {
    if (checked) next.add(device.id)
    else next.delete(device.id)
  }
  picked.value = next
  last = index
}
function pickAll() {
  const ids = rows.value.map(({ device }) => device.id)
  picked.value = allChosen.value
    ? new Set([...picked.value].filter((id) => !ids.includes(id)))
    : new Set([...picked.value, ...ids])
}
const save = () => saveFile('devices.csv', 'text/csv', writeDevices(draft.policy))
</script>

<template>
  <section :aria-label="devicesText.devices">
    <KindDrawings />
    <EntryHead
      v-if="isNew || open !== null"
      :all="devicesText.allDevices"
      to="/devices"
      :where="isNew ? devicesText.newDevice : edited?.device.name"
      :missing="!isNew && !edited"
    />
    <DeviceEditor v-if="isNew" @done="opened.close" />
    <DeviceEditor
      v-else-if="edited"
      :key="edited.device.id"
      :device="edited.device"
      :yours="edited.yours"
      :findings="edited.findings"
      @done="opened.close"
    />
    <div class="head">
      <h1>
        <b>{{ capital(headline) }}</b>.
      </h1>
      <div class="ways">
        <ActButton @click="opened.begin()">{{ devicesText.newDeviceTitle }}</ActButton>
        <ActButton @click="taking = !taking">{{ devicesText.importAddresses }}</ActButton>
        <ActButton @click="navigateTo(guest === null ? '/devices?guest' : '/devices')">{{
          networksText.guestPass
        }}</ActButton>
        <ActButton variant="ghost" :disabled="draft.policy.devices.length === 0" @click="save">{{
          devicesText.exportCsv
        }}</ActButton>
      </div>
    </div>
    <p class="soft">{{ devicesText.appliedByName }}</p>
    <AddressIntake v-if="taking" @done="taking = false" />
    <GuestPass v-if="guest !== null" :key="guest" :network="guest || null" @done="navigateTo('/devices')" />
    <ul v-if="cards.length > 0" class="leaf newcomers" :aria-label="devicesText.newOnTheNetwork">
      <li v-for="(sighting, index) in cards" :key="sighting.mac">
        <NewcomerCard
          :sighting="sighting"
          :like-at-first="index === 0 ? likeAtFirst : undefined"
          @named="opened.open"
        />
      </li>
    </ul>
    <p v-if="left.length > 0" class="soft left">
      {{ devicesText.ignoredDevices(left.length) }}
      <ActButton @click="showLeft = !showLeft">{{
        showLeft ? devicesText.hide : devicesText.show
      }}</ActButton>
    </p>
    <div class="book">
      <div>
        <div class="find">
          <UInput
            v-model="search"
            type="search"
            :aria-label="devicesText.searchDevices"
            class="w-76 max-[760px]:w-full"
            :placeholder="devicesText.searchHint"
          />
          <span class="soft"
            >{{ devicesText.sortBy }}
            <SelectField v-model="order" :label="devicesText.sortBy" :items="ORDER_CHOICES"
          /></span>
          <span class="soft count">{{
            devicesText.shownOfAll(rows.length, draft.policy.devices.length)
          }}</span>
        </div>
        <p v-if="toLookAt > 0 && order !== 'warnings first'" class="look">
          <ActButton @click="order = 'warnings first'">{{
            devicesText.devicesWithWarnings(toLookAt)
          }}</ActButton>
        </p>
        <ChosenActs v-if="chosen.length > 0" :chosen="chosen" @none="picked = new Set()" />
        <p v-if="draft.policy.devices.length === 0" class="empty">
          {{ devicesText.noDevicesYet(newcomers.length > 0) }}
        </p>
        <p v-else-if="rows.length === 0" class="empty">
          {{ devicesText.noDeviceMatches(search) }}
          <ActButton @click="search = ''">{{ devicesText.showAll }}</ActButton>
        </p>
        <div v-else class="line heads">
          <UCheckbox
            class="tick"
            :model-value="allChosen"
            :aria-label="devicesText.selectAll(search === '')"
            @update:model-value="pickAll"
          />
          <p class="row" aria-hidden="true">
            <span /><span v-for="column in devicesText.columns" :key="column">{{ column }}</span>
          </p>
        </div>
        <LongList
          v-if="rows.length > 0"
          v-slot="{ item: row, index }"
          :label="devicesText.devices"
          :items="rows"
          :key-of="({ device }) => device.id"
          :estimate="(_, isNarrow) => (isNarrow ? 93 : 54)"
        >
          <div class="line" :data-device="row.device.id">
            <RowTick
              :checked="picked.has(row.device.id)"
              :label="devicesText.select(row.device.name)"
              @pick="(event) => pick(index, event)"
            />
            <DeviceRow :row="row" :open="open === row.device.id" />
          </div>
        </LongList>
      </div>
      <div class="shelves">
        <GroupShelf people :asked="asked" />
        <GroupShelf :people="false" :asked="asked" />
        <NetworkShelf />
      </div>
    </div>
  </section>
</template>

<style scoped>
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.newcomers {
  margin: 12px 0 10px;
  max-height: max(40vh, 300px);
  overflow: auto;
}
.newcomers li + li {
  border-top: 1px solid var(--hair);
}
.left {
  margin-bottom: 10px;
}
.book {
  /* Of the heads and of every row (DeviceRow.vue). */
  --device-columns: 16px 152px 118px 104px minmax(0, 1fr) auto;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 250px;
  gap: 26px;
  align-items: start;
  margin-top: 18px;
}
.find {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 14px;
  align-items: center;
  margin-bottom: 8px;
}
.count {
  margin-left: auto;
  white-space: nowrap;
}
.look {
  color: var(--warn);
  margin-bottom: 8px;
}
.line {
  display: grid;
  grid-template-columns: 22px minmax(0, 1fr);
}
.tick {
  padding: 8px 0 8px 2px;
}
.heads .row {
  display: grid;
  grid-template-columns: var(--device-columns);
  gap: 0 12px;
  padding: 7px 8px 7px 6px;
  font-size: 13px;
  color: var(--soft);
}
@media (max-width: 760px) {
  .heads .row {
    display: none;
  }
}
.empty {
  margin: 16px 0;
}
.shelves {
  position: sticky;
  top: 140px;
  max-height: calc(100vh - 200px);
  overflow: auto;
}
@media (max-width: 1000px) {
  .shelves {
    position: static;
    max-height: none;
  }
  .book {
    /* Of the heads and of every row (DeviceRow.vue). */
    --device-columns: 16px 152px 118px 104px minmax(0, 1fr) auto;
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
