<script setup lang="ts">
import { computed } from 'vue'
import { keywordCatches, siteCovers } from '../../../core/evidence/coverage.ts'
import { shownSite } from '../../../core/formats/site-list.ts'
import { useNetwork } from '../../stores/network.ts'
import { countWords, listWords, plural } from '../../text/count.ts'

/** What each keyword would have caught among the names seen lately, and what of that is in no list and no app: where it may block too much. */
const props = defineProps<{ keywords: readonly string[] }>()
const network = useNetwork()
network.readNames()
/** How many names are said of each keyword. */
const FIRST = 6
const listed = computed(() => siteCovers([...network.draft!.siteLists.flatMap(({ entries }) => entries), ...network.draft!.apps.flatMap(({ sites }) => sites)]))
const found = computed(() => network.seenNames && props.keywords.map(keyword => ({ keyword, ...keywordCatches(keyword, network.seenNames!, listed.value) })))
const namesWords = (names: readonly { name: string }[]) => names.length <= FIRST ? listWords(names.map(({ name }) => shownSite(name))) : `${names.slice(0, FIRST).map(({ name }) => shownSite(name)).join(', ')} and ${names.length - FIRST} more`
</script>

<template>
  <ul v-if="found && keywords.length > 0" class="catches" aria-label="What these words would have matched">
    <li v-for="{ keyword, caught, unlisted } in found" :key="keyword">
      <template v-if="caught.length === 0">“{{ keyword }}” matches none of the {{ network.seenNames!.length.toLocaleString('en') }} names looked up in the last 7 days.</template>
      <template v-else>“{{ keyword }}” would have matched {{ caught.length }} of {{ network.seenNames!.length.toLocaleString('en') }} names looked up in the last 7 days<template v-if="unlisted.length === 0">, all of them in your lists or apps: {{ namesWords(caught) }}.</template><template v-else>; <b>{{ unlisted.length === caught.length ? (plural(caught.length, 'it is', 'they are')) : countWords(unlisted.length, 'is', 'are') }} in no list and no app: {{ namesWords(unlisted) }}.</b></template></template>
    </li>
  </ul>
</template>

<style scoped>
.catches { flex-basis: 100%; font-size: 13px; max-width: 92ch; overflow-wrap: anywhere; }
b { font-weight: 500; color: var(--warn); }
</style>
