<script setup lang="ts">
import { useMe } from '../../stores/me.ts'
import { historyText } from '../../text/history.ts'

/** The two parts of the history, for those who may see both. */
const me = useMe()
const route = useRoute()
const PARTS = [
  ['/history', historyText.revisions],
  ['/history/log', historyText.whoDidWhat],
] as const
</script>

<template>
  <nav v-if="me.mayDo('administer')" class="parts" :aria-label="historyText.parts">
    <NuxtLink
      v-for="[to, name] in PARTS"
      :key="to"
      :to="to"
      class="link"
      :aria-current="route.path === to ? 'page' : undefined"
      >{{ name }}</NuxtLink
    >
  </nav>
</template>

<style scoped>
.parts {
  display: flex;
  gap: 18px;
  margin: 2px 0 14px;
}
[aria-current] {
  font-weight: 650;
  text-decoration: none;
}
@media (max-width: 760px) {
  .parts > * {
    min-height: 44px;
    padding: 11px 0;
  }
}
</style>
