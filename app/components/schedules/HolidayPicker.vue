<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import type { CalendarEntry } from '../../../core/import/icalendar.ts'
import type { Region } from '../../../core/import/holidays.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { schedulesText } from '../../text/schedules.ts'
import ActButton from '../common/ActButton.vue'

/** Chooses a country, and a part of it, whose public holidays are listed from a date on. */
const { from } = defineProps<{ from: string }>()
const emit = defineEmits<{ found: [entries: CalendarEntry[]] }>()
/** The country, its state and the region of that, as far as chosen; '' = the whole. */
const chosen = ref(['', '', ''])
const path = computed(() => chosen.value.slice(0, [...chosen.value, ''].indexOf('')))
/** The choices on each level; the tables of dates are large, and loaded when they are wanted. */
const levels = shallowRef<readonly (readonly Region[])[]>([])
const { busy: isLoading, trouble, attempt } = useRequest()
const tables = () => import('../../../core/import/holidays.ts')

const load = () =>
  attempt(async () => {
    const { holidayRegions } = await tables()
    const isFirst = levels.value.length === 0
    levels.value = [0, 1, 2]
      .filter((level) => level <= path.value.length)
      .map((level) => holidayRegions(path.value.slice(0, level)))
      .filter((regions) => regions.length > 0)
    // The country of the browser's language is the likeliest.
    const home = new Intl.Locale(navigator.language).region ?? ''
    if (isFirst && levels.value[0]!.some(({ code }) => code === home)) chosen.value = [home, '', '']
  })
watch(path, load, { immediate: true })
function choose(level: number, code: string) {
  chosen.value = [...chosen.value.slice(0, level), code, '', ''].slice(0, 3)
}
const list = () =>
  attempt(async () => {
    const { publicHolidays } = await tables()
    emit('found', publicHolidays(path.value, from))
  })
</script>

<template>
  <form class="holidays" @submit.prevent="list">
    <USelectMenu
      v-for="(regions, level) in levels"
      :key="level"
      :model-value="chosen[level]"
      :items="
        level === 0
          ? regions.map(({ code, name }) => ({ value: code, label: name }))
          : [
              { value: '', label: schedulesText.wholeCountry },
              ...regions.map(({ code, name }) => ({ value: code, label: name })),
            ]
      "
      value-key="value"
      :aria-label="level === 0 ? schedulesText.country : schedulesText.partOfTheCountry"
      :placeholder="level === 0 ? schedulesText.country : schedulesText.wholeCountry"
      class="w-52"
      @update:model-value="(code: string) => choose(level, code)"
    />
    <ActButton type="submit" :disabled="path.length === 0">{{ schedulesText.listHolidays }}</ActButton>
    <span v-if="isLoading" class="soft" role="status">{{ schedulesText.loadingHolidays }}</span>
    <span v-if="trouble" class="trouble" role="alert">{{ trouble }}</span>
  </form>
</template>

<style scoped>
.holidays {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin: 8px 0;
}
</style>
