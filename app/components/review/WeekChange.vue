<script setup lang="ts">
import { computed } from 'vue'
import type { DeviceChange } from '../../../core/change/hours.ts'
import { DAY } from '../../../core/time/instant.ts'
import { useNetwork } from '../../stores/network.ts'
import { clockOf, dateWords } from '../../words/time.ts'
import AccessBand from '../band/AccessBand.vue'
import { bandWords, differences } from '../band/band.ts'

/** A device's coming week before and after, one above the other, with what changes between them shaded. */
const props = defineProps<{ change: DeviceChange, name: string, from: number, width: number }>()
const LEFT = 74
const network = useNetwork()
const until = computed(() => props.from + 7 * DAY)
const track = computed(() => props.width - LEFT)
const scale = (instant: number) => LEFT + (instant - props.from) / (7 * DAY) * track.value
const shades = computed(() => differences(props.change.before, props.change.after).map(({ from, until }) => ({ left: scale(from), width: Math.max(2, scale(until) - scale(from)) })))
const clock = (instant: number) => `${dateWords(instant, network.zone)} ${clockOf(instant, network.zone)}`
const lines = computed(() => [{ words: 'as it is', stretches: props.change.before }, { words: 'as it will be', stretches: props.change.after }])
</script>

<template>
  <div class="change">
    <h3>{{ name }}</h3>
    <div class="both">
      <i v-for="(shade, index) in shades" :key="index" :style="{ left: `${shade.left}px`, width: `${shade.width}px` }" />
      <div v-for="line in lines" :key="line.words" class="line">
        <span>{{ line.words }}</span>
        <AccessBand :stretches="line.stretches" :from="from" :until="until" :width="track" :height="15" :label="`${name} ${line.words}: ${bandWords(line.stretches, clock)}`" />
      </div>
    </div>
  </div>
</template>

<style scoped>
h3 { font-weight: 500; margin-top: 12px; }
.both { position: relative; }
i { position: absolute; top: 2px; bottom: -3px; background: var(--needle); opacity: 0.22; }
.line { position: relative; display: flex; align-items: end; height: 25px; font-size: 11px; color: var(--soft); }
.line > span { width: 74px; }
</style>
