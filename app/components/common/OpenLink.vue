<script setup lang="ts">
import { needOfPage } from '../../model/pages.ts'
import { useMe } from '../../stores/me.ts'

/** A link to a page, and plain text for those who may not open it. */
defineProps<{ to: string }>()
const me = useMe()
</script>

<template>
  <NuxtLink v-if="me.mayDo(needOfPage(to))" :to="to"><slot /></NuxtLink>
  <span v-else><slot /></span>
</template>
