<script setup lang="ts">
import { computed } from 'vue'
import type { Policy, Rule } from '../../../core/policy/types.ts'
import { ruleWords } from '../../words/rule.ts'

/** A rule as one sentence. */
const props = defineProps<{ rule: Rule, policy: Policy }>()
const words = computed(() => ruleWords(props.rule, props.policy))
</script>

<template>
  <span class="sentence serif">{{ words.who }} <b>{{ words.effect }}</b> {{ words.what }} {{ words.when }}.</span>
</template>

<style scoped>
.sentence { font-size: 16px; line-height: 1.35; }
b { font-weight: 600; }
</style>
