<script setup lang="ts">
import { computed, ref, watch } from 'vue'

/** A text as a QR code (ISO/IEC 18004), 148 pixels wide, with what it is for those who cannot see it. */
const { text } = defineProps<{ text: string; alt: string }>()
const drawing = ref('')
watch(
  () => text,
  async (now) => {
    const { toString } = await import('qrcode')
    drawing.value = await toString(now, { type: 'svg', margin: 2, errorCorrectionLevel: 'M' })
  },
  { immediate: true },
)
const picture = computed(() => `data:image/svg+xml,${encodeURIComponent(drawing.value)}`)
</script>

<template>
  <img v-if="drawing !== ''" :src="picture" :alt="alt" width="148" height="148" />
</template>

<style scoped>
img {
  border-radius: 6px;
}
</style>
