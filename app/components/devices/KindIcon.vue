<script setup lang="ts">
import type { DeviceKind } from '../../../core/policy/types.ts'
import { kindWord } from '../../words/device.ts'

/** What a device is, as a small drawing; as SVG, since an icon in CSS makes a style sheet at its first use, which restyles the whole page. */
defineProps<{ kind: DeviceKind }>()
const ICONS: Readonly<Record<DeviceKind, string>> = {
  phone: 'i-lucide-smartphone', tablet: 'i-lucide-tablet', laptop: 'i-lucide-laptop', desktop: 'i-lucide-monitor', reader: 'i-lucide-book-open', watch: 'i-lucide-watch',
  screen: 'i-lucide-tv', console: 'i-lucide-gamepad-2', speaker: 'i-lucide-speaker', camera: 'i-lucide-camera', printer: 'i-lucide-printer', storage: 'i-lucide-hard-drive',
  terminal: 'i-lucide-credit-card', machine: 'i-lucide-cog', other: 'i-lucide-circle-dashed',
}
</script>

<template>
  <UIcon :name="ICONS[kind]" mode="svg" :title="kindWord(kind)" class="kind" />
</template>

<style scoped>
.kind { color: var(--soft); width: 15px; height: 15px; flex: none; align-self: center; }
</style>
