<script setup lang="ts">
import { computed } from 'vue'

/**
 * A sentence with parts that are more than text: links, buttons, words with weight. They stand in double
 * brackets,
 * so that the sentence is one text: "Earlier revisions are in [[History]]." The slot draws the part number
 * `index`.
 */
const props = defineProps<{ text: string }>()
const pieces = computed(() => props.text.split(/\[\[(.*?)\]\]/))
</script>

<template>
  <template v-for="(words, at) in pieces" :key="at">
    <slot v-if="at % 2 === 1" :words="words" :index="(at - 1) / 2"
      ><b>{{ words }}</b></slot
    ><template v-else>{{ words }}</template>
  </template>
</template>
