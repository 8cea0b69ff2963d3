<script setup lang="ts">
import { computed, ref } from 'vue'
import AddressIntake from '../components/devices/AddressIntake.vue'
import DeviceEditor from '../components/devices/DeviceEditor.vue'
import GroupShelf from '../components/devices/GroupShelf.vue'
import NewcomerCard from '../components/devices/NewcomerCard.vue'
import { DRAGGED, matchesSearch, newcomersOf, sightingsOf } from '../components/devices/newcomers.ts'
import { useBoard } from '../stores/board.ts'
import { useMoment } from '../stores/moment.ts'
import { useNetwork } from '../stores/network.ts'
import { countWord, stateWord } from '../words/standing.ts'
import { lengthWords } from '../words/time.ts'
import { readInstant } from '../../core/time/instant.ts'
import { isBlocked } from '../../core/decision/standing.ts'

useHead({ title: 'Kairostat: devices' })
const [network, board, moment] = [useNetwork(), useBoard(), useMoment()]
const search = ref('')
const chosen = ref<string | null>(null)
const taking = ref(false)
const newcomers = computed(() => newcomersOf(network.draft!, network.sightings))
const standing = computed(() => new Map(board.rows.map((row, index) => [row.key, board.moments[index]!])))
const rows = computed(() => network.draft!.devices
  .map(device => ({ device, seen: sightingsOf(device, network.sightings) }))
  .filter(({ device, seen }) => matchesSearch(device, seen, search.value))
  .map(({ device, seen }) => ({
    device, seen, moment: standing.value.get(device.id),
    groups: network.draft!.groups.filter(group => group.members.includes(device.id)).map(group => group.name).join(', '),
    there: presence(seen.some(({ connected }) => connected), seen.map(({ lastSeen }) => readInstant(lastSeen)!)),
  }))
  .sort((a, b) => a.device.name.localeCompare(b.device.name)))

function presence(connected: boolean, seen: readonly number[]): string {
  if (connected) return 'connected'
  return seen.length === 0 ? 'never seen' : `gone ${lengthWords(moment.now - Math.max(...seen))}`
}
const headline = computed(() => newcomers.value.length === 0
  ? `${countWord(network.draft!.devices.length)} devices, and no newcomer`
  : `${countWord(newcomers.value.length)} ${newcomers.value.length === 1 ? 'newcomer waits' : 'newcomers wait'} for a name`)
</script>

<template>
  <section aria-label="Devices">
    <div class="head">
      <h1><b>{{ headline.charAt(0).toUpperCase() + headline.slice(1) }}</b>.</h1>
      <UButton size="sm" variant="outline" color="neutral" @click="taking = !taking">Paste or drop addresses</UButton>
    </div>
    <p class="soft">What was seen on the network. A device that you name here is known to the rules once the draft is put live.</p>
    <AddressIntake v-if="taking" @done="taking = false" />
    <div class="newcomers"><NewcomerCard v-for="sighting in newcomers" :key="sighting.mac" :sighting="sighting" @named="id => chosen = id" /></div>
    <div class="book">
      <div>
        <div class="find"><input v-model="search" type="search" aria-label="Search devices" placeholder="Search by name, address, host name or IP"> <span class="soft whitespace-nowrap">{{ rows.length }} of {{ network.draft!.devices.length }}</span></div>
        <p v-if="network.draft!.devices.length === 0" class="empty">No device has a name yet. {{ newcomers.length > 0 ? 'Begin with one of the newcomers above.' : 'As soon as one joins the network, it stands here.' }}</p>
        <p v-else-if="rows.length === 0" class="empty">No device matches “{{ search }}”. <button type="button" class="link" @click="search = ''">Show all</button></p>
        <ul>
          <li v-for="row in rows" :key="row.device.id">
            <button type="button" class="row" draggable="true" :class="{ chosen: chosen === row.device.id }" :aria-expanded="chosen === row.device.id" @dragstart="$event.dataTransfer?.setData(DRAGGED, row.device.id)" @click="chosen = chosen === row.device.id ? null : row.device.id">
              <span class="name">{{ row.device.name }}</span>
              <span :class="row.moment && isBlocked(row.moment.state) ? 'blocked' : 'soft'">{{ row.moment ? stateWord(row.moment) : '' }}</span>
              <span class="soft">{{ row.groups || 'in no group' }}</span>
              <span class="soft mac">{{ row.device.adapters.map(({ mac, medium }) => `${mac} ${{ wifi: 'Wi-Fi', ethernet: 'cable', other: '' }[medium]}`).join(', ') }}</span>
              <span class="soft there">{{ row.there }}</span>
            </button>
            <DeviceEditor v-if="chosen === row.device.id" :device="row.device" :seen="row.seen" @done="chosen = null" />
          </li>
        </ul>
      </div>
      <GroupShelf />
    </div>
  </section>
</template>

<style scoped>
.head { display: flex; flex-wrap: wrap; gap: 8px 20px; align-items: center; justify-content: space-between; }
.newcomers { display: grid; grid-template-columns: repeat(auto-fill, minmax(300px, 1fr)); gap: 14px; margin: 14px 0 20px; }
.book { display: grid; grid-template-columns: minmax(0, 1fr) 270px; gap: 28px; align-items: start; }
.find { display: flex; gap: 14px; align-items: center; margin-bottom: 10px; }
.find input { flex: 0 1 340px; background: var(--leaf); border: 1px solid var(--line); border-radius: 99px; padding: 6px 14px; }
.find input::placeholder { color: var(--soft); opacity: 1; }
ul { border-top: 1px solid var(--line); }
li { border-bottom: 1px solid var(--line); }
.row { display: grid; grid-template-columns: 176px 80px 118px minmax(0, 1fr) auto; gap: 2px 14px; width: 100%; padding: 7px 8px; text-align: left; cursor: pointer; align-items: baseline; content-visibility: auto; contain-intrinsic-height: 36px; }
.row:hover, .row.chosen { background: var(--leaf); }
.name { font: 500 16px var(--font-serif); }
.blocked { font-weight: 600; }
.mac { font-size: 12.5px; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.empty { margin: 16px 0; }
@media (max-width: 1000px) { .book { grid-template-columns: minmax(0, 1fr); } }
@media (max-width: 760px) {
  .row { grid-template-columns: minmax(0, 1fr) auto; }
  .mac { grid-column: 1 / -1; white-space: normal; }
  .newcomers { grid-template-columns: minmax(0, 1fr); }
}
</style>
