<script setup lang="ts">
import { startOfMinute } from '../../../core/time/duration.ts'
import { computed, ref, watch } from 'vue'
import { matchingEntries } from '../../../core/decision/catches.ts'
import { timesWithin } from '../../../core/decision/candidate.ts'
import { readDestination } from '../../../core/destination/destination.ts'
import type { Rule } from '../../../core/policy/types.ts'
import { useLoaded, wholePolicy } from '../../composables/wholePolicy.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { capital } from '../../../core/words/rule.ts'
import WhoReaches from './WhoReaches.vue'
import RuleSentence from '../common/RuleSentence.vue'
import { sitesText } from '../../text/sites.ts'

/** The lists, apps and rules of the draft that would cover an address, with their devices and times. */
const draft = useDraftPolicy()
const moment = useMoment()
const route = useRoute()
/** What is asked about; a link may say it. */
const text = ref('')
watch(
  () => route.query.ask,
  (said) => typeof said === 'string' && (text.value = said),
  { immediate: true },
)
const policy = computed(() => draft.policy)
const read = computed(() => (text.value.trim() === '' ? null : readDestination(text.value)))
// Long lists are asked for once somebody types.
const { loaded, failed } = useLoaded(() => (read.value ? draft.policy : null), wholePolicy)
const catcher = computed(() => loaded.value && matchingEntries(loaded.value))
const catches = computed(() =>
  read.value && !('fault' in read.value) && catcher.value ? catcher.value(read.value) : null,
)
const sentence = computed(() => {
  const { siteLists, apps } = catches.value!
  const parts = [
    ...siteLists.map(({ name }) => sitesText.theList(name)),
    ...apps.map(({ name, category }) => sitesText.theApp(name, category)),
  ]
  return parts.length === 0 ? sitesText.inNoList : capital(sitesText.containedIn(parts, parts.length))
})
const second = computed(() => startOfMinute(moment.at))
const times = computed(() => timesWithin(draft.policy, second.value, second.value + 1))
const inForce = (rule: Rule) => times.value(rule.when).length > 0
</script>

<template>
  <div class="ask">
    <UInput
      v-model="text"
      :aria-label="sitesText.lookUpSiteOrAddress"
      class="w-105 max-w-full"
      :placeholder="sitesText.lookUpHint"
      spellcheck="false"
    />
    <div v-if="read" role="status">
      <p v-if="'fault' in read" class="fault">{{ read.fault }}</p>
      <p v-else-if="failed" class="fault">{{ failed }}</p>
      <p v-else-if="!catches" class="soft">{{ sitesText.loadingSites }}</p>
      <template v-else-if="catches">
        <p class="display say">
          {{ sentence }}
          {{ catches.rules.length === 0 ? sitesText.noRuleCovers : sitesText.rulesThatCoverIt }}
        </p>
        <ol>
          <li v-for="rule in catches.rules" :key="rule.id" :class="{ resting: !inForce(rule) }">
            <RuleSentence :rule="rule" :policy="policy" />
            {{ ' ' }}
            <span class="soft"
              >{{ rule.name }}{{ inForce(rule) ? sitesText.active : sitesText.notActiveThen }}</span
            >
          </li>
        </ol>
        <p v-if="catches.internetRules.length > 0" class="soft">
          {{ sitesText.internetRules(catches.internetRules.map((rule) => rule.name)) }}
        </p>
        <WhoReaches :destination="read" :said="text.trim()" />
      </template>
    </div>
  </div>
</template>

<style scoped>
.ask {
  margin: 14px 0 18px;
}
.say {
  font-size: 16px;
  margin: 10px 0 4px;
}
li {
  padding: 3px 0;
}
.resting {
  color: var(--soft);
}
.fault {
  color: var(--danger);
  margin-top: 8px;
}
</style>
