<script setup lang="ts">
import { signInText } from '../../text/sign-in.ts'

/** A page before one is signed in. */
</script>

<template>
  <main class="door">
    <div class="mark display">{{ signInText.kairostat }}</div>
    <slot />
  </main>
</template>

<style scoped>
.door {
  max-width: 380px;
  margin: 12vh auto 0;
  padding: 0 20px;
}
.mark {
  font-size: 25px;
  font-weight: 500;
  margin-bottom: 28px;
}
:slotted(h1) {
  margin-bottom: 6px;
}
:slotted(.form) {
  display: flex;
  flex-direction: column;
  gap: 16px;
  margin-top: 22px;
  align-items: stretch;
}
:slotted(.form) > :last-child {
  align-self: flex-start;
}
.door :deep(.trouble) {
  min-height: 19px;
}
</style>
