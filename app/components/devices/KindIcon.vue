<script setup lang="ts">
import type { DeviceKind } from '../../../core/policy/types.ts'
import { kindWord } from '../../../core/words/device.ts'

/** The kind of a device as a small drawing. */
defineProps<{ kind: DeviceKind }>()
</script>

<template>
  <svg class="kind" aria-hidden="true">
    <title>{{ kindWord(kind) }}</title>
    <use :href="`#kind-${kind}`" />
  </svg>
</template>

<style scoped>
.kind {
  color: var(--soft);
  width: 15px;
  height: 15px;
  flex: none;
  align-self: center;
}
</style>
