<script setup lang="ts">
import { computed } from 'vue'
import { keywordCatches, siteCovers } from '../../../core/evidence/coverage.ts'
import { shownSite } from '../../../core/import/site-list.ts'
import { useLoaded, wholePolicy } from '../../composables/wholePolicy.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { listWords } from '../../../core/words/count.ts'
import { rulesText } from '../../text/rules.ts'
import MarkedText from '../common/MarkedText.vue'

/**
 * The recently seen names that each keyword would have covered, and those that is in no list and no app:
 * where it may block too much.
 */
const props = defineProps<{ keywords: readonly string[] }>()
const [draft, gateway] = [useDraftPolicy(), useGateway()]
gateway.readNames()
/** The names that are shown of each keyword. */
const FIRST = 6
const { loaded } = useLoaded(() => draft.policy, wholePolicy)
const listed = computed(
  () =>
    loaded.value &&
    siteCovers([
      ...loaded.value.siteLists.flatMap(({ entries }) => entries),
      ...loaded.value.apps.flatMap(({ sites }) => sites),
    ]),
)
const found = computed(
  () =>
    gateway.seenNames &&
    listed.value &&
    props.keywords.map((keyword) => ({
      keyword,
      ...keywordCatches(keyword, gateway.seenNames!, listed.value!),
    })),
)
const namesCount = computed(() => gateway.seenNames!.length.toLocaleString('en'))
const namesWords = (names: readonly { name: string }[]) =>
  names.length <= FIRST
    ? listWords(names.map(({ name }) => shownSite(name)))
    : rulesText.namesAndMore(
        names
          .slice(0, FIRST)
          .map(({ name }) => shownSite(name))
          .join(', '),
        names.length - FIRST,
      )
</script>

<template>
  <ul v-if="found && keywords.length > 0" class="catches" :aria-label="rulesText.keywordCatches">
    <li v-for="{ keyword, caught, unlisted } in found" :key="keyword">
      <template v-if="caught.length === 0">{{ rulesText.matchesNone(keyword, namesCount) }}</template>
      <template v-else-if="unlisted.length === 0">{{
        rulesText.allListed(keyword, caught.length, namesCount, namesWords(caught))
      }}</template>
      <MarkedText
        v-else
        :text="
          rulesText.someUnlisted(keyword, caught.length, namesCount, unlisted.length, namesWords(unlisted))
        "
      />
    </li>
  </ul>
</template>

<style scoped>
.catches {
  flex-basis: 100%;
  font-size: 13px;
  max-width: 92ch;
  overflow-wrap: anywhere;
}
b {
  font-weight: 500;
  color: var(--warn);
}
</style>
