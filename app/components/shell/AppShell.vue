<script setup lang="ts">
import { computed, defineAsyncComponent, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import ActButton from '../common/ActButton.vue'
import PageBar from './PageBar.vue'
import SideBar from './SideBar.vue'
import { PAGES_OF } from '../../model/address.ts'
import { needOfPage, isTimeless, PAGES, type PageLink } from '../../model/pages.ts'
import GatewayNotice from './GatewayNotice.vue'
import LiveBar from './LiveBar.vue'
import MomentSpeaker from '../ribbon/MomentSpeaker.vue'
import WeekRibbon from '../ribbon/WeekRibbon.vue'
import { useHistory } from '../../stores/history.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useLive } from '../../stores/live.ts'
import { useMe } from '../../stores/me.ts'
import { usePlace } from '../../stores/place.ts'
import { useRequests } from '../../stores/requests.ts'
import { useSession } from '../../stores/session.ts'
import { newcomersOf } from '../../model/unknown-devices.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { clockOf, dateWords } from '../../text/time.ts'
import { callApi } from '../../composables/useApi.ts'
import { useUnsaved } from '../../stores/unsaved.ts'
import { shellText } from '../../text/shell.ts'

const CommandPalette = defineAsyncComponent(() => import('../palette/CommandPalette.vue'))
const AskUnsaved = defineAsyncComponent(() => import('./AskUnsaved.vue'))
const unsaved = useUnsaved()
const KeyList = defineAsyncComponent(() => import('../palette/KeyList.vue'))
/** The layer over the page: the palette, or the list of keys. */
const over = ref<'palette' | 'keys' | null>(null)
const [draft, live, place, gateway, session, moment, me] = [
  useDraftPolicy(),
  useLive(),
  usePlace(),
  useGateway(),
  useSession(),
  useMoment(),
  useMe(),
]
const history = useHistory()
/** For how long the fonts are waited for, in milliseconds. */
const FONTS_MS = 2000
const hasFonts = ref(false)
void Promise.race([
  Promise.all(
    ['--font-sans', '--font-head'].map((name) =>
      document.fonts.load(`1em ${getComputedStyle(document.documentElement).getPropertyValue(name)}`),
    ),
  ).catch(() => {}),
  new Promise((resolve) => setTimeout(resolve, FONTS_MS)),
]).then(() => (hasFonts.value = true))
/** Nothing is drawn before all of it can be, so that nothing moves. */
const ready = computed(
  () =>
    hasFonts.value &&
    [draft, live, me].every(({ answered }) => answered !== null) &&
    session.isReady &&
    history.ready,
)
const speaker = ref<InstanceType<typeof MomentSpeaker> | null>(null)
const { walk } = useDraft()
const colour = useColorMode()
const fresh = computed(() =>
  draft.answered
    ? newcomersOf(draft.answered, gateway.sightings).filter(({ leftAlone }) => !leftAlone).length
    : 0,
)
const requests = useRequests()
/** Returns the number of things that wait on a page. */
const counts = computed((): Record<string, number> => ({
  '/': requests.waiting.length,
  '/devices': fresh.value,
}))
watch(
  () => requests.waiting.length,
  // The count on the icon of the home screen, where there is one.
  (count) => void navigator.setAppBadge?.(count)?.catch(() => {}),
)
const pages = computed(() =>
  PAGES.filter(([, , need]) => me.mayDo(need)).map(([to, name]): PageLink => ({
    to,
    name,
    count: counts.value[to] ?? 0,
  })),
)
const route = useRoute()
/** Whether who is signed in may open the page; who may not is led to the board. */
// The route that Nuxt tells changes only once the page is shown.
const { currentRoute } = useRouter()
const isOpen = computed(() => me.mayDo(needOfPage(currentRoute.value.path)))
watch(
  [isOpen, ready],
  () => {
    if (ready.value && !isOpen.value) void navigateTo('/', { replace: true })
  },
  { immediate: true },
)

function onKey(event: KeyboardEvent) {
  const target = event.target as HTMLElement
  if (event.key.toLowerCase() === 'k' && (event.ctrlKey || event.metaKey) && !event.altKey && ready.value) {
    event.preventDefault()
    return void openPalette()
  }
  if (event.altKey || target.closest('input, textarea, select, [contenteditable], [role=dialog], dialog'))
    return
  const isUndo = event.key.toLowerCase() === 'z' && (event.ctrlKey || event.metaKey)
  const step = isUndo && (event.shiftKey ? 'redo' : 'undo')
  if (step && !event.defaultPrevented && me.mayDo('edit')) {
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
const again = () => (session.faults.has('page') ? window.location.reload() : session.load())
const theme = () => (colour.preference = colour.value === 'dark' ? 'light' : 'dark')
function does(what: 'theme' | 'sign-out' | 'keys') {
  if (what === 'keys') over.value = 'keys'
  else if (what === 'theme') theme()
  else void signOut()
}
async function signOut() {
  await callApi('DELETE', '/api/session')
  location.assign(`${PAGES_OF}/sign-in`)
}

const ends = [moment.tick()]
onMounted(() => {
  window.addEventListener('keydown', onKey)
  ends.push(() => window.removeEventListener('keydown', onKey))
})
onBeforeUnmount(() => ends.forEach((end) => end()))
</script>

<template>
  <main v-if="!ready" class="waiting">
    <p v-if="session.trouble" class="trouble" role="alert">
      {{ session.trouble }} <ActButton @click="again">{{ shellText.tryAgain }}</ActButton>
    </p>
    <p v-else class="soft" role="status">{{ shellText.loading }}</p>
  </main>
  <div v-else class="shell">
    <a href="#main" class="skip">{{ shellText.skipToTheContent }}</a>
    <GatewayNotice class="notice" />
    <SideBar class="side" :pages="pages" :dark="colour.value === 'dark'" @theme="theme" @sign-out="signOut" />
    <div class="body">
      <section class="week" :class="{ folded: isTimeless(route.path) }" :aria-label="shellText.ribbon">
        <div class="fold">
          <WeekRibbon />
          <div class="speak">
            <MomentSpeaker ref="speaker" />
            <ActButton class="find" @click="openPalette"
              >{{ shellText.searchOrDo }} <kbd>{{ shellText.ctrlK }}</kbd></ActButton
            >
          </div>
        </div>
      </section>
      <main id="main">
        <p class="printed">
          {{
            shellText.printHead(
              draft.answered?.place.name ?? '',
              moment.at ? `${dateWords(moment.at, place.zone)}, ${clockOf(moment.at, place.zone)}` : '',
            )
          }}
        </p>
        <p v-if="session.trouble" class="trouble" role="alert">
          {{ session.trouble }}
          <ActButton @click="again">{{
            session.faults.has('page') ? shellText.reloadThePage : shellText.tryAgain
          }}</ActButton>
        </p>
        <slot v-if="isOpen" />
      </main>
      <LiveBar v-if="me.mayDo('edit')" class="live" />
    </div>
    <PageBar :pages="pages" :dark="colour.value === 'dark'" @theme="theme" @sign-out="signOut" />
    <CommandPalette v-if="over === 'palette'" @close="over = null" @does="does" />
    <AskUnsaved v-if="unsaved.asking" />
    <KeyList v-if="over === 'keys'" @close="over = null" />
  </div>
</template>

<style scoped>
.waiting {
  display: grid;
  place-content: center;
  min-height: 100vh;
  padding: 16px;
}
.shell {
  display: grid;
  grid-template-columns: 172px minmax(0, 1fr);
  grid-template-rows: auto 1fr;
  gap: 0 24px;
  min-height: 100vh;
  padding-right: 24px;
  max-width: 1500px;
  margin: 0 auto;
}
.notice {
  grid-column: 1 / -1;
  margin-right: -24px;
}
.side {
  position: sticky;
  top: 0;
  align-self: start;
  padding: 16px 0 0 12px;
}
.body {
  display: flex;
  flex-direction: column;
  min-width: 0;
}
.week {
  position: sticky;
  top: 0;
  z-index: 6;
  background: var(--paper);
  padding: 14px 8px 6px;
  margin: 0 -8px;
  min-height: 138px;
}
.folded {
  min-height: 30px;
  height: 30px;
  padding-block: 8px;
}
.folded .fold {
  height: 14px;
  overflow: hidden;
  background: var(--paper);
  border-bottom: 1px solid var(--hair);
  margin: 0 -8px;
  padding: 0 8px;
}
.folded:not(:hover, :focus-within) .fold > * {
  opacity: 0;
}
.folded:is(:hover, :focus-within) .fold {
  height: auto;
  overflow: visible;
  padding: 8px;
  box-shadow: 0 14px 30px -22px rgb(22 37 47 / 0.5);
}
main {
  flex: 1;
  padding: 8px 0 24px;
  min-width: 0;
}
.live {
  position: sticky;
  bottom: 0;
  background: var(--leaf);
  z-index: 5;
  margin: 0 -24px;
  padding-inline: 24px;
}
.trouble {
  background: var(--leaf);
  border-left: 4px solid var(--danger);
  padding: 8px 12px;
  margin-bottom: 12px;
  border-radius: 8px;
}
.printed {
  display: none;
}
.speak {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  align-items: center;
}
.find {
  color: var(--soft);
}
.find kbd {
  font: inherit;
  border: 1px solid var(--hair);
  border-radius: 4px;
  padding: 0 5px;
  margin-left: 8px;
}
.skip {
  position: absolute;
  left: -999px;
}
.skip:focus {
  left: 10px;
  top: 4px;
  background: var(--leaf);
  padding: 4px 10px;
  z-index: 10;
}
@media (max-width: 760px) {
  .shell {
    display: flex;
    flex-direction: column;
    padding: 0 16px 64px;
    gap: 0;
  }
  .notice {
    margin: 0 -16px 8px;
  }
  .side,
  .body {
    display: contents;
  }
  .week,
  .fold {
    display: contents;
  }
  .speak {
    order: 0;
  }
  main {
    order: 1;
    padding-top: 4px;
    min-height: calc(100vh - 60px);
  }
  .fold > :first-child {
    order: 2;
    padding: 10px 0;
  }
  .folded :is(.speak, .ribbon) {
    display: none;
  }
  .find kbd {
    display: none;
  }
  .live {
    order: 3;
    bottom: 60px;
    margin: 0 -16px;
    padding-inline: 16px;
  }
}
</style>
