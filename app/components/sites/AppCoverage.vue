<script setup lang="ts">
import { computed, ref } from 'vue'
import { coverageOf } from '../../../core/evidence/coverage.ts'
import { shownSite } from '../../../core/import/site-list.ts'
import { useGateway } from '../../stores/gateway.ts'
import { listWords } from '../../../core/words/count.ts'
import { sitesText } from '../../text/sites.ts'
import ActButton from '../common/ActButton.vue'

/**
 * The recently seen names that some apps cover, and similar ones that they miss; a missed one can be taken
 * in.
 */
const props = defineProps<{
  apps: readonly { readonly name: string; readonly sites: readonly string[] }[]
  takes: boolean
}>()
defineEmits<{ take: [name: string] }>()
const gateway = useGateway()
gateway.readNames()
/** The names that are shown before *Show all*. */
const FIRST = 5
const all = ref(false)
const coverage = computed(() => gateway.seenNames && coverageOf(props.apps, gateway.seenNames))
const caught = computed(() => {
  const names = coverage.value!.caught.map(({ name }) => shownSite(name))
  return names.length <= FIRST || all.value
    ? listWords(names)
    : sitesText.namesAndMore(names.slice(0, FIRST).join(', '), names.length - FIRST)
})
</script>

<template>
  <div class="coverage">
    <p v-if="!coverage" class="soft">{{ sitesText.comparingWithDnsLookUps }}</p>
    <p v-else-if="gateway.seenNames!.length === 0" class="soft">{{ sitesText.nothingToCompare }}</p>
    <template v-else>
      <p>
        {{
          sitesText.coverageOfLookups(
            gateway.seenNames!.length.toLocaleString('en'),
            coverage.caught.length,
            caught,
          )
        }}
        <ActButton v-if="coverage.caught.length > FIRST && !all" @click="all = true">{{
          sitesText.showAll
        }}</ActButton>
      </p>
      <template v-if="coverage.similar.length > 0">
        <p class="missed">{{ sitesText.similarNames(coverage.similar.length) }}</p>
        <ul>
          <li v-for="{ seen, because } in coverage.similar" :key="seen.name">
            <b>{{ shownSite(seen.name) }}</b>
            {{ ' ' }}
            <span class="soft">{{
              sitesText.whyAndHowOften(
                because.kind === 'domain'
                  ? sitesText.alsoUnder(because.what)
                  : sitesText.contains(because.what),
                seen.tries,
                seen.adapters,
              )
            }}</span>
            <ActButton v-if="takes" size="xs" class="ml-2" @click="$emit('take', seen.name)">{{
              sitesText.addIt
            }}</ActButton>
          </li>
        </ul>
      </template>
    </template>
  </div>
</template>

<style scoped>
.coverage {
  flex-basis: 100%;
  font-size: 13px;
  max-width: 92ch;
  overflow-wrap: anywhere;
}
.missed {
  color: var(--warn);
  margin-top: 4px;
}
li {
  padding: 2px 0;
}
b {
  font-weight: 600;
}
</style>
