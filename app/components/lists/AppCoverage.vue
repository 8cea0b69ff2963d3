<script setup lang="ts">
import { computed, ref } from 'vue'
import { coverageOf } from '../../../core/evidence/coverage.ts'
import { shownSite } from '../../../core/formats/site-list.ts'
import { useNetwork } from '../../stores/network.ts'
import { countWords, listWords, plural } from '../../text/count.ts'

/** Which of the names seen lately some apps catch, and which similar ones they miss; a missed one can be taken in. */
const props = defineProps<{ apps: readonly { readonly name: string, readonly sites: readonly string[] }[], takes: boolean }>()
defineEmits<{ take: [name: string] }>()
const network = useNetwork()
network.readNames()
/** How many names are said before the rest is asked for. */
const FIRST = 5
const all = ref(false)
const coverage = computed(() => network.seenNames && coverageOf(props.apps, network.seenNames))
const caught = computed(() => {
  const names = coverage.value!.caught.map(({ name }) => shownSite(name))
  return names.length <= FIRST || all.value ? listWords(names) : `${names.slice(0, FIRST).join(', ')} and ${names.length - FIRST} more`
})
const seenBy = (adapters: number) => adapters === 1 ? 'by one device' : `by ${adapters} devices`
</script>

<template>
  <div class="coverage">
    <p v-if="!coverage" class="soft">Comparing with DNS look-ups…</p>
    <p v-else-if="network.seenNames!.length === 0" class="soft">No DNS look-ups in the last 7 days, so there is nothing to compare with.</p>
    <template v-else>
      <p>
        Of {{ network.seenNames!.length.toLocaleString('en') }} names looked up in the last 7 days, {{ coverage.caught.length === 0 ? 'it covers none.' : `it covers ${coverage.caught.length}: ${caught}.` }}
        <UButton v-if="coverage.caught.length > FIRST && !all" @click="all = true">Show all</UButton>
      </p>
      <template v-if="coverage.similar.length > 0">
        <p class="missed">{{ plural(coverage.similar.length, 'A similar name is not covered:', 'Similar names are not covered:') }}</p>
        <ul>
          <li v-for="{ seen, because } in coverage.similar" :key="seen.name">
            <b>{{ shownSite(seen.name) }}</b> <span class="soft">{{ because.kind === 'domain' ? `also under ${because.what}` : `contains “${because.what}”` }}; {{ countWords(seen.tries, 'time') }} {{ seenBy(seen.adapters) }}</span>
            <UButton v-if="takes" size="xs" class="ml-2" @click="$emit('take', seen.name)">Add it</UButton>
          </li>
        </ul>
      </template>
    </template>
  </div>
</template>

<style scoped>
.coverage { flex-basis: 100%; font-size: 13px; max-width: 92ch; overflow-wrap: anywhere; }
.missed { color: var(--warn); margin-top: 4px; }
li { padding: 2px 0; }
b { font-weight: 600; }
</style>
