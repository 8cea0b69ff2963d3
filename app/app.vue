<script setup lang="ts">
import AppShell from './components/shell/AppShell.vue'

const route = useRoute()
</script>

<template>
  <UApp :toaster="{ position: 'bottom-right', ui: { viewport: 'bottom-16 max-[760px]:bottom-32' } }">
    <NuxtPage v-if="route.meta.standsAlone" />
    <AppShell v-else><NuxtPage /></AppShell>
  </UApp>
</template>
