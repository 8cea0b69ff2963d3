<script setup lang="ts">
/** Says on every screen that nothing real is blocked while the gateway is simulated. */
</script>

<template>
  <section class="simulated" aria-label="Simulated gateway"><p>Simulated gateway: nothing <span>on a real network </span>is blocked. <NuxtLink to="/settings#connect" class="link">Connect a gateway</NuxtLink></p></section>
</template>

<style scoped>
.simulated { background: var(--warn-paper); color: var(--warn-ink); font-size: 13px; text-align: center; padding: 5px 16px; border-bottom: 1px solid color-mix(in srgb, var(--warn) 45%, transparent); }
.link { white-space: nowrap; margin-left: 6px; text-decoration-color: currentcolor; }
@media (max-width: 760px) { span { display: none; } }
</style>
