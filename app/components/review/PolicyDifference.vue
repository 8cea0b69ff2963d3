<script setup lang="ts">
import { computed } from 'vue'
import { entriesBetween } from '../../../core/change/entries.ts'
import type { Policy } from '../../../core/policy/types.ts'
import { useChanges } from '../../composables/useChanges.ts'
import { useGateway } from '../../stores/gateway.ts'
import { effectWords, entryWords } from '../../../core/words/change.ts'
import ChangedWeeks from './ChangedWeeks.vue'
import { reviewText } from '../../text/review.ts'

/**
 * The differences between two policies: in words, and the coming week of each device whose time differs.
 */
const props = defineProps<{ before: Policy; after: Policy }>()
const gateway = useGateway()
const entries = computed(() => entriesBetween(props.before, props.after))
const { changes, from } = useChanges(() => ({ before: props.before, after: props.after }))
const nameOf = (id: string) =>
  [...props.after.devices, ...props.before.devices].find((device) => device.id === id)?.name ??
  gateway.nameOfMac(id)
</script>

<template>
  <div class="difference">
    <p v-if="entries.length === 0">{{ reviewText.noDifferences }}</p>
    <ul v-else>
      <li v-for="line in entries.flatMap((entry) => entryWords(entry, before, after))" :key="line">
        {{ line }}
      </li>
    </ul>
    <p class="soft" aria-live="polite">
      {{ changes ? effectWords(changes) : reviewText.calculatingTheEffect }}
    </p>
    <ChangedWeeks v-if="changes && changes.length > 0" :changes="changes" :from="from" :name-of="nameOf" />
  </div>
</template>

<style scoped>
.difference {
  padding: 10px 0 16px;
}
ul {
  font-size: 15px;
  margin-bottom: 4px;
}
li {
  padding: 2px 0;
}
</style>
