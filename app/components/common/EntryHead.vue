<script setup lang="ts">
import { shellText } from '../../text/shell.ts'
// Above an open entry: the way back, and which one it is.
defineProps<{ all: string; to: string; where?: string; missing?: boolean }>()
</script>

<template>
  <p class="crumb">
    <NuxtLink :to="to" class="link">‹ {{ all }}</NuxtLink
    ><span v-if="where" class="soft"> · {{ where }}</span>
  </p>
  <p v-if="missing" role="alert">{{ shellText.noLongerInDraft }}</p>
</template>

<style scoped>
.crumb {
  margin-bottom: 8px;
}
</style>
