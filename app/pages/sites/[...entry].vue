<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import ActButton from '../../components/common/ActButton.vue'
import AppCatalogue from '../../components/sites/AppCatalogue.vue'
import AppCoverage from '../../components/sites/AppCoverage.vue'
import AppEditor from '../../components/sites/AppEditor.vue'
import AskAddress from '../../components/sites/AskAddress.vue'
import LearnApp from '../../components/sites/LearnApp.vue'
import SiteListEditor from '../../components/sites/SiteListEditor.vue'
import { siteCount } from '../../../protocol/brief-list.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useLoaded, wholeList } from '../../composables/wholePolicy.ts'
import { addressOf, useOpened } from '../../composables/useOpened.ts'
import { useLearning } from '../../stores/learning.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useLists } from '../../stores/lists.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { useSession } from '../../stores/session.ts'
import { listsText } from '../../text/settings/lists.ts'
import { whenWords } from '../../text/time.ts'
import { readInstant } from '../../../core/time/instant.ts'
import { countWords, listWords } from '../../../core/words/count.ts'
import EntryHead from '../../components/common/EntryHead.vue'
import { sitesText } from '../../text/sites.ts'
import MarkedText from '../../components/common/MarkedText.vue'

definePageMeta({ key: 'sites' })
useHead({ title: sitesText.pageTitle })
const [draft, learning, sources, moment, place] = [
  useDraftPolicy(),
  useLearning(),
  useLists(),
  useMoment(),
  usePlace(),
]
void useSession().load(['lists'])
/**
 * The open entry: "lists/id" or "apps/id"; the new one: "list", "app", or an app that is learned from use
 * ("learn").
 */
const opened = useOpened('/sites')
const open = opened.entry
const list = computed(() => draft.policy.siteLists.find(({ id }) => open.value === `lists/${id}`))
/** The list that is open, with its sites: those of a long one are asked for when it is opened. */
const { loaded, failed } = useLoaded(() => list.value, wholeList)
const wholeOpen = computed(() => (loaded.value?.id === list.value?.id ? loaded.value : null))
const app = computed(() => draft.policy.apps.find(({ id }) => open.value === `apps/${id}`))
const where = computed(() => {
  if (opened.begun.value === null) return (list.value ?? app.value)?.name
  if (opened.begun.value === 'list') return sitesText.newListCrumb
  return sitesText.newAppCrumb
})
/** The sites that a new app begins with: those that were learned. */
const learned = ref<readonly string[]>([])
const teaching = ref(learning.watched !== null)
watch(
  opened.begun,
  (what) => {
    if (what !== 'learn') return
    teaching.value = true
    opened.close()
  },
  { immediate: true },
)
const covered = ref<string | null>(null)
const usedBy = (
  uses: (what: {
    siteLists: readonly string[]
    apps: readonly string[]
    categories: readonly string[]
  }) => boolean,
) => {
  const names = draft.policy.rules.filter(({ what }) => uses(what)).map((rule) => rule.name)
  return names.length === 0 ? '' : listWords(names)
}
/** Returns the outcome of the last refresh of a list; empty where it has no source. */
function sourceWords(list: string): string {
  const source = sources.byList.get(list)
  if (!source) return ''
  if (source.waiting) return listsText.waiting
  if (source.trouble) return listsText.failed
  if (source.checkedAt === null) return listsText.notAskedYet
  return listsText.refreshed(whenWords(readInstant(source.checkedAt)!, moment.now, place.zone))
}
const lists = computed(() =>
  draft.policy.siteLists.map((list) => ({
    list,
    users: usedBy((what) => what.siteLists.includes(list.id)),
    source: sourceWords(list.id),
  })),
)
const apps = computed(() =>
  draft.policy.apps.map((app) => ({
    app,
    users: usedBy((what) => what.apps.includes(app.id) || what.categories.includes(app.category)),
  })),
)
const categories = computed(() =>
  [...new Set(apps.value.map(({ app }) => app.category))]
    .sort((a, b) => a.localeCompare(b))
    .map((name) => ({ name, rows: apps.value.filter(({ app }) => app.category === name) })),
)
const unused = computed(() => [...lists.value, ...apps.value].filter(({ users }) => users === '').length)
/**
 * The name by which devices ask for the encrypted resolver of a network (RFC 9462, section 4); a list that
 * has it is one of encrypted resolvers.
 */
const DESIGNATED = 'resolver.arpa'
const { busy, trouble, put } = useDraft()
const hasResolvers = computed(() =>
  draft.policy.siteLists.some(({ entries }) => entries.includes(DESIGNATED)),
)
async function addResolvers() {
  const id = await put('siteList', null, {
    name: sitesText.encryptedResolvers,
    entries: [DESIGNATED],
    note: sitesText.encryptedResolversNote,
  })
  if (id !== null) opened.open(`lists/${id}`)
}
function newApp(sites: readonly string[]) {
  learned.value = sites
  teaching.value = false
  opened.begin('app')
}
</script>

<template>
  <section :aria-label="sitesText.lists">
    <EntryHead
      v-if="where || open !== null"
      :all="sitesText.allSites"
      to="/sites"
      :where="where"
      :missing="!where"
    />
    <p v-if="list && !wholeOpen" :class="failed ? 'trouble' : 'soft'" role="status">
      {{ failed || sitesText.loadingSites }}
    </p>
    <SiteListEditor
      v-else-if="opened.begun.value === 'list' || wholeOpen"
      :key="open ?? 'new'"
      :list="wholeOpen ?? undefined"
      @done="opened.close"
    />
    <AppEditor
      v-else-if="opened.begun.value === 'app' || app"
      :key="open ?? learned.join()"
      :app="app"
      :sites="learned"
      @done="opened.close"
    />
    <div class="head">
      <h1><MarkedText :text="sitesText.howMany(lists.length, apps.length, unused)" /></h1>
      <div class="ways">
        <ActButton @click="opened.begin('list')">{{ sitesText.newList }}</ActButton>
        <ActButton @click="newApp([])">{{ sitesText.newApp }}</ActButton>
        <ActButton @click="teaching = true">{{ sitesText.learnAnApp }}</ActButton>
      </div>
    </div>
    <p class="soft">
      <MarkedText v-slot="{ words }" :text="sitesText.listsAndAppsSayWhat"
        ><NuxtLink to="/rules" class="link">{{ words }}</NuxtLink></MarkedText
      >
    </p>
    <AskAddress />
    <p v-if="!hasResolvers" class="soft">
      <MarkedText v-slot="{ words }" :text="sitesText.encryptedDnsCanBypassEvery"
        ><ActButton :disabled="busy" @click="addResolvers">{{ words }}</ActButton></MarkedText
      >
    </p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <LearnApp v-if="teaching" @learned="newApp" @close="teaching = false" />
    <h2>{{ sitesText.siteLists }}</h2>
    <p v-if="lists.length === 0" class="empty">{{ sitesText.noListsYet }}</p>
    <ul>
      <li v-for="{ list: one, users, source } in lists" :key="one.id">
        <NuxtLink
          :to="addressOf('/sites', `lists/${one.id}`)"
          class="row"
          :class="{ chosen: one === list }"
          :aria-current="one === list"
        >
          <span class="name">{{ one.name }}</span><span class="soft">{{
            countWords(siteCount(one), 'site')
          }}</span>
          <span v-if="users" class="soft">{{ sitesText.usedIn(users) }}</span><span v-else class="unused">{{
            sitesText.listNotUsed
          }}</span>
          <span v-if="source" class="soft">{{ source }}</span>
        </NuxtLink>
      </li>
    </ul>
    <h2>{{ sitesText.apps }}</h2>
    <p v-if="apps.length === 0" class="empty">{{ sitesText.noAppsYet }}</p>
    <ul v-for="{ name, rows } in categories" :key="name" :aria-label="sitesText.categoryApps(name)">
      <li class="category">
        <span
          ><b>{{ name }}</b> {{ rows.length }}</span
        ><ActButton
          size="xs"
          :aria-expanded="covered === name"
          @click="covered = covered === name ? null : name"
          >{{ sitesText.whatItCovers }}</ActButton
        >
        <AppCoverage
          v-if="covered === name"
          :apps="rows.map((row) => row.app)"
          :takes="false"
          class="caught"
        />
      </li>
      <li v-for="{ app: one, users } in rows" :key="one.id">
        <NuxtLink
          :to="addressOf('/sites', `apps/${one.id}`)"
          class="row"
          :class="{ chosen: one === app }"
          :aria-current="one === app"
        >
          <span class="name">{{ one.name }}</span><span class="soft">{{
            countWords(one.sites.length + one.services.length, 'entry', 'entries')
          }}</span>
          <span v-if="users" class="soft">{{ sitesText.usedIn(users) }}</span><span v-else class="unused">{{
            sitesText.notUsed
          }}</span>
        </NuxtLink>
      </li>
    </ul>
    <AppCatalogue />
  </section>
</template>

<style scoped>
.ways {
  display: flex;
  gap: 8px;
}
h2 {
  margin: 20px 0 6px;
}
ul {
  border-top: 1px solid var(--hair);
}
li {
  border-bottom: 1px solid var(--hair);
}
ul + ul {
  border-top: 0;
}
.category {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
  align-items: baseline;
  padding: 12px 8px 4px;
  font-size: 13px;
  color: var(--soft);
}
.caught {
  padding-bottom: 6px;
  color: var(--ink);
}
.row {
  display: grid;
  grid-template-columns: 200px 110px minmax(0, 1fr);
  gap: 2px 16px;
  width: 100%;
  padding: 8px;
  text-align: left;
  cursor: pointer;
  align-items: baseline;
}
.row:hover,
.row.chosen {
  background: var(--leaf);
}
.name {
  font: 500 16px var(--font-head);
}
.unused {
  color: var(--warn);
}
.empty {
  margin: 8px 0 12px;
}
@media (max-width: 760px) {
  .row {
    grid-template-columns: minmax(0, 1fr) auto;
  }
  .row > :last-child {
    grid-column: 1 / -1;
  }
}
</style>
