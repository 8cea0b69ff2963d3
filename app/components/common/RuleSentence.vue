<script setup lang="ts">
import { computed } from 'vue'
import type { Policy, Rule } from '../../../core/policy/types.ts'
import { ruleWords } from '../../../core/words/rule.ts'

/** A rule as one sentence; `only` where a rule that closes the rest stands right after it. */
const props = defineProps<{ rule: Rule; policy: Policy; only?: boolean }>()
const words = computed(() => ruleWords(props.rule, props.policy, props.only))
</script>

<template>
  <span class="sentence"
    >{{ words.who }} <b>{{ words.effect }}</b> {{ words.what }} {{ words.when }}.</span
  >
</template>

<style scoped>
.sentence {
  line-height: 1.4;
}
b {
  font-weight: 600;
}
</style>
