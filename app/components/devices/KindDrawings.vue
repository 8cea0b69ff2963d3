<script setup lang="ts">
import { KIND_ICONS } from '../../model/kinds.ts'

/** The drawings of all kinds of devices, once for the page: hundreds of rows point to them. */
</script>

<template>
  <svg width="0" height="0" aria-hidden="true" class="drawings">
    <symbol v-for="(name, kind) in KIND_ICONS" :id="`kind-${kind}`" :key="kind" viewBox="0 0 24 24">
      <UIcon :name="name" mode="svg" width="24" height="24" />
    </symbol>
  </svg>
</template>

<style scoped>
.drawings {
  position: absolute;
}
</style>
