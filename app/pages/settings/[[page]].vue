<script setup lang="ts">
import { computed, onMounted, provide, ref, watch } from 'vue'
import { localText } from '../../../core/time/instant.ts'
import { clockWords } from '../../../core/words/clock.ts'
import AccountSettings from '../../components/settings/AccountSettings.vue'
import BlockedSites from '../../components/settings/BlockedSites.vue'
import ConnectGateway from '../../components/settings/ConnectGateway.vue'
import LocalNames from '../../components/settings/LocalNames.vue'
import NoticeSettings from '../../components/settings/NoticeSettings.vue'
import PeopleSettings from '../../components/settings/PeopleSettings.vue'
import PlaceSettings from '../../components/settings/PlaceSettings.vue'
import TokenList from '../../components/settings/TokenList.vue'
import TransferKeys from '../../components/settings/TransferKeys.vue'
import UsageSettings from '../../components/settings/UsageSettings.vue'
import { FIRST_ANSWERS } from '../../composables/useRequest.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useMe } from '../../stores/me.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { clockTroubles } from '../../text/gateway.ts'
import { MOVED_SETTINGS, SETTINGS_PAGES } from '../../text/settings/pages.ts'
import { peopleText } from '../../text/settings/people.ts'
import { settingsText } from '../../text/settings/settings.ts'

definePageMeta({ key: 'settings' })
useHead({ title: settingsText.pageTitle })
const [place, gateway, moment, me] = [usePlace(), useGateway(), useMoment(), useMe()]
const route = useRoute()
const PARTS: Readonly<Record<string, readonly object[]>> = {
  'place': [PlaceSettings],
  'gateway': [ConnectGateway],
  'blocked-sites': [BlockedSites],
  'usage': [UsageSettings, LocalNames],
  'people': [PeopleSettings],
  'notices': [NoticeSettings],
  'account': [AccountSettings],
  'programs': [TokenList, TransferKeys],
}
const pages = computed(() => SETTINGS_PAGES.filter(({ need }) => me.mayDo(need)))
const shown = computed(
  () =>
    pages.value.find(({ id }) => id === (route.params.page || MOVED_SETTINGS[route.hash])) ?? pages.value[0]!,
)
/** The words typed to find a setting. */
const sought = ref('')
const found = computed(() => {
  const words = sought.value.toLowerCase().split(/\s+/).filter(Boolean)
  if (words.length === 0) return null
  return pages.value.flatMap(({ id, name, holds }) =>
    holds
      .filter((held) => words.every((word) => `${name} ${held}`.toLowerCase().includes(word)))
      .map((held) => ({ id, page: name, held })),
  )
})

const waiting = ref(0)
provide(FIRST_ANSWERS, waiting)
/** Whether each part of the page that is shown has had its first answer: what comes later hides nothing. */
const isReady = ref(false)
const settle = () => (isReady.value ||= waiting.value === 0)
watch(
  () => shown.value.id,
  () => (isReady.value = false),
  { flush: 'sync' },
)
watch([waiting, () => shown.value.id], settle, { flush: 'post' })
onMounted(settle)

const view = computed(() => gateway.answered)
const clock = computed(() =>
  view.value?.status && view.value.state !== 'away'
    ? localText(moment.now + (view.value.ahead ?? 0), view.value.status.timeZone).slice(11, 19)
    : '',
)
const isWrong = computed(() => view.value !== null && clockTroubles(view.value, place.zone).length > 0)
const verdict = computed(() => {
  if (!view.value?.status || view.value.state === 'away') return settingsText.clockUnknown
  const parts = clockTroubles(view.value, place.zone)
  return parts.length === 0 ? settingsText.clockRight : settingsText.clockWrong(parts.join(settingsText.and))
})
</script>

<template>
  <section :aria-label="settingsText.settings" class="settings">
    <h1>
      <b>{{ settingsText.settings }}</b>
    </h1>
    <div class="ways">
      <UInput
        v-if="pages.length > 2"
        v-model="sought"
        type="search"
        :aria-label="settingsText.findASetting"
        :placeholder="settingsText.findASetting"
        class="w-full"
      />
      <ul v-if="found" :aria-label="settingsText.found" class="found">
        <li v-for="one in found" :key="one.held">
          <NuxtLink :to="`/settings/${one.id}`" @click="sought = ''"
            >{{ one.held }} <span class="soft">{{ one.page }}</span></NuxtLink
          >
        </li>
        <li v-if="found.length === 0" class="soft">{{ settingsText.noSettingFound(sought) }}</li>
      </ul>
      <nav v-else :aria-label="settingsText.settings">
        <NuxtLink
          v-for="{ id, name } in pages"
          :key="id"
          :to="`/settings/${id}`"
          :aria-current="shown.id === id ? 'page' : undefined"
          :class="{ on: shown.id === id }"
          >{{ name }}</NuxtLink
        >
      </nav>
    </div>
    <p v-if="!isReady" class="soft" role="status">{{ settingsText.loading }}</p>
    <div v-show="isReady" class="parts">
      <p v-if="shown.id === 'place' || shown.id === 'gateway'" :class="{ trouble: isWrong }" role="status">
        {{ verdict }}.
        <span class="soft clock">{{
          settingsText.clocks(
            clockWords(localText(moment.now, place.zone).slice(11, 19)),
            clockWords(clock),
            clock === '',
            view?.status?.timeZone ?? place.zone,
          )
        }}</span>
      </p>
      <component :is="part" v-for="(part, index) in PARTS[shown.id]" :key="`${shown.id}${index}`" />
      <p v-if="shown.id === 'place' && !me.mayDo('administer')" class="soft">
        {{ peopleText.forAdministrators }}
      </p>
    </div>
  </section>
</template>

<style scoped>
.settings {
  display: grid;
  grid-template-columns: 190px minmax(0, 1fr);
  gap: 14px 36px;
  align-items: start;
}
h1 {
  grid-column: 1 / -1;
}
nav,
.found {
  display: flex;
  flex-direction: column;
  margin-top: 8px;
}
nav a,
.found a {
  display: block;
  padding: 7px 10px;
  border-radius: 8px;
}
nav a:hover,
.found a:hover {
  background: var(--leaf);
}
nav a.on {
  font-weight: 600;
  background: var(--leaf);
  box-shadow: inset 3px 0 0 var(--ink);
}
.found .soft {
  display: block;
  font-size: 13px;
}
.parts > :deep(* + *) {
  margin-top: 26px;
}
.clock {
  font-variant-numeric: tabular-nums;
}
@media (max-width: 760px) {
  .settings {
    grid-template-columns: minmax(0, 1fr);
  }
  nav {
    flex-direction: row;
    flex-wrap: wrap;
    gap: 4px;
  }
  nav a,
  .found a {
    min-height: 44px;
    padding: 10px 12px;
  }
  nav a.on {
    box-shadow: inset 0 -3px 0 var(--ink);
  }
}
</style>
