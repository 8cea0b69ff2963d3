<script setup lang="ts">
import type { FileFault } from '../../../core/import/lines.ts'
import { faultWords } from '../../text/fault.ts'
import { shellText } from '../../text/shell.ts'

/** Why a file is not taken in, by its lines; nothing where it has no fault. */
defineProps<{ name: string; faults: readonly FileFault[] }>()
/** The faults that are told one by one. */
const TOLD = 50
</script>

<template>
  <div v-if="faults.length > 0" class="trouble" role="alert">
    <p>{{ shellText.notImported(name) }}</p>
    <ul>
      <li v-for="(fault, index) in faults.slice(0, TOLD)" :key="index">
        {{ shellText.line(fault.line, faultWords(fault)) }}
      </li>
    </ul>
    <p v-if="faults.length > TOLD">{{ shellText.andMore(faults.length - TOLD) }}</p>
  </div>
</template>

<style scoped>
.trouble {
  margin-top: 6px;
}
</style>
