<script setup lang="ts">
import { computed, defineAsyncComponent, nextTick, onBeforeUnmount, onMounted, ref } from 'vue'
import GatewayLine from '../components/shell/GatewayLine.vue'
import LiveBar from '../components/shell/LiveBar.vue'
import MomentSpeaker from '../components/ribbon/MomentSpeaker.vue'
import WeekRibbon from '../components/ribbon/WeekRibbon.vue'
import { useHistory } from '../stores/history.ts'
import { useMoment } from '../stores/moment.ts'
import { useNetwork } from '../stores/network.ts'
import { newcomersOf } from '../components/devices/newcomers.ts'
import { useDraft } from '../composables/useDraft.ts'
import { callApi } from '../composables/useApi.ts'

const CommandPalette = defineAsyncComponent(() => import('../components/palette/CommandPalette.vue'))
const KeyList = defineAsyncComponent(() => import('../components/palette/KeyList.vue'))
/** What lies over the page: the palette, or the list of keys. */
const over = ref<'palette' | 'keys' | null>(null)
const [network, moment] = [useNetwork(), useMoment()]
const history = useHistory()
const ready = computed(() => network.ready && history.ready)
const speaker = ref<InstanceType<typeof MomentSpeaker> | null>(null)
const { walk } = useDraft()
const colour = useColorMode()
const fresh = computed(() => network.draft ? newcomersOf(network.draft, network.sightings).filter(({ leftAlone }) => !leftAlone).length : 0)
const pages = computed(() => [
  { to: '/', name: 'Board', note: '' },
  { to: '/devices', name: 'Devices', note: fresh.value > 0 ? `${fresh.value} new` : '' },
  { to: '/hours', name: 'Hours', note: '' },
  { to: '/lists', name: 'Lists', note: '' },
  { to: '/rules', name: 'Rules', note: '' },
  { to: '/proof', name: 'Proof', note: '' },
  { to: '/revisions', name: 'Revisions', note: '' },
  { to: '/place', name: 'Place', note: '' },
])

function onKey(event: KeyboardEvent) {
  const target = event.target as HTMLElement
  if (event.key.toLowerCase() === 'k' && (event.ctrlKey || event.metaKey) && !event.altKey && ready.value) {
    event.preventDefault()
    return void openPalette()
  }
  if (event.altKey || target.closest('input, textarea, select, [contenteditable], [role=dialog], dialog')) return
  const step = event.key.toLowerCase() === 'z' && (event.ctrlKey || event.metaKey) ? event.shiftKey ? 'redo' : 'undo' : null
  if (step && !event.defaultPrevented) {
    event.preventDefault()
    return void walk(step)
  }
  if (event.ctrlKey || event.metaKey) return
  if (event.key === 'n') moment.back()
  else if (event.key === 'm') void speaker.value?.ask()
  else if (event.key === '?') over.value = 'keys'
  else return
  event.preventDefault()
}
// One that was just closed may not have said so yet: it would take the new one with it.
async function openPalette() {
  over.value = null
  await nextTick()
  over.value = 'palette'
}
const again = () => network.faults.has('page') ? window.location.reload() : network.load()
const theme = () => colour.preference = colour.value === 'dark' ? 'light' : 'dark'
function does(what: 'theme' | 'sign-out' | 'keys') {
  if (what === 'keys') over.value = 'keys'
  else if (what === 'theme') theme()
  else void signOut()
}
async function signOut() {
  await callApi('DELETE', '/api/session')
  location.assign('/sign-in')
}

const ends = [moment.tick()]
onMounted(() => {
  window.addEventListener('keydown', onKey)
  ends.push(() => window.removeEventListener('keydown', onKey))
})
onBeforeUnmount(() => ends.forEach(end => end()))
</script>

<template>
  <div class="shell">
    <a href="#main" class="skip">To the page</a>
    <div class="side">
      <div class="brand" role="banner">
        <NuxtLink to="/" class="mark serif">Kairostat</NuxtLink>
        <p class="soft place">{{ network.draft?.place.name ?? ' ' }}</p>
        <GatewayLine v-if="ready" />
      </div>
      <nav aria-label="Pages">
        <NuxtLink v-for="page in pages" :key="page.to" :to="page.to" exact-active-class="on">{{ page.name }} <small v-if="page.note">{{ page.note }}</small></NuxtLink>
        <div class="quiet">
          <button type="button" @click="theme">{{ colour.value === 'dark' ? 'Light' : 'Dark' }}</button>
          <button type="button" @click="signOut">Sign out</button>
        </div>
      </nav>
    </div>
    <div class="body">
      <section class="week" aria-label="The week and the moment shown">
        <WeekRibbon v-if="ready" />
        <div v-if="ready" class="speak">
          <MomentSpeaker ref="speaker" />
          <button type="button" class="find" @click="openPalette">Find or do <kbd>Ctrl K</kbd></button>
        </div>
      </section>
      <main id="main">
        <p v-if="network.trouble" class="trouble" role="alert">{{ network.trouble }} <button type="button" class="link" @click="again">{{ network.faults.has('page') ? 'Load the page again' : 'Try again' }}</button></p>
        <slot v-if="ready" />
        <p v-else-if="!network.trouble" class="soft" role="status">Asking for devices and hours…</p>
      </main>
      <LiveBar v-if="ready" class="live" />
    </div>
    <CommandPalette v-if="over === 'palette'" @close="over = null" @does="does" />
    <KeyList v-if="over === 'keys'" @close="over = null" />
  </div>
</template>

<style scoped>
.shell { display: grid; grid-template-columns: 150px minmax(0, 1fr); gap: 0 20px; min-height: 100vh; padding: 0 26px; max-width: 1500px; margin: 0 auto; }
.side { position: sticky; top: 0; align-self: start; padding-top: 18px; }
.mark { font-size: 25px; font-weight: 500; line-height: 1; }
.place { margin-top: 8px; font-size: 12.5px; min-height: 17px; }
.body { display: flex; flex-direction: column; min-width: 0; }
.week { position: sticky; top: 0; z-index: 6; background: var(--paper); padding: 18px 8px 6px; margin: 0 -8px; min-height: 134px; }
nav { padding-top: 52px; display: flex; flex-direction: column; }
nav a { padding: 6px 0; color: var(--soft); font-size: 14px; }
nav a.on { color: var(--ink); font-weight: 600; }
nav a.on::before { content: ""; display: inline-block; width: 2px; height: 13px; background: var(--needle); margin: 0 8px -1px -10px; }
nav small { color: var(--ochre); margin-left: 6px; font-size: 12px; }
.quiet { margin-top: 28px; display: flex; flex-direction: column; align-items: flex-start; gap: 6px; font-size: 12.5px; color: var(--soft); }
.quiet button { cursor: pointer; }
.quiet button:hover { color: var(--ink); }
main { flex: 1; padding: 10px 0 24px; min-width: 0; }
.live { position: sticky; bottom: 0; background: var(--paper); z-index: 5; margin: 0 -24px; padding-inline: 24px; }
.trouble { background: var(--leaf); border-left: 3px solid var(--needle); padding: 8px 12px; margin-bottom: 12px; }
.speak { display: flex; justify-content: space-between; gap: 12px; align-items: center; }
.find { color: var(--soft); cursor: pointer; font-size: 12.5px; white-space: nowrap; }
.find:hover { color: var(--ink); }
.find kbd { font: inherit; border: 1px solid var(--line); border-radius: 3px; padding: 0 4px; margin-left: 4px; }
.skip { position: absolute; left: -999px; }
.skip:focus { left: 10px; top: 4px; background: var(--leaf); padding: 4px 10px; z-index: 10; }
@media (max-width: 760px) {
  .shell { position: relative; display: flex; flex-direction: column; padding: 14px 16px 0; gap: 0; }
  .side, .body { display: contents; }
  .brand { display: flex; flex-wrap: wrap; align-items: baseline; gap: 0 12px; padding-bottom: 8px; }
  .place { margin: 0; }
  .brand :deep(.gateway) { width: 100%; }
  .week { position: static; min-height: 108px; padding: 0; margin: 0; }
  nav { order: 1; flex-flow: row wrap; padding: 6px 0 0; gap: 2px 16px; border-bottom: 1px solid var(--line); }
  nav a.on::before { display: none; }
  nav a.on { box-shadow: inset 0 -2px var(--needle); }
  .quiet { position: absolute; top: 18px; right: 16px; flex-direction: row; margin: 0; gap: 12px; }
  main { order: 2; }
  .find kbd { display: none; }
  .live { order: 3; margin: 0 -16px; padding-inline: 16px; }
}
</style>
