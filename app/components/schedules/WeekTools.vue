<script setup lang="ts">
import { computed, ref, shallowRef } from 'vue'
import { readClock } from '../../../core/time/spoken.ts'
import type { Week } from '../../../core/time/week.ts'
import { copied, inverted, weekOf, windowsOf } from '../../model/paint.ts'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'
import { WEEKDAYS } from '../../../core/words/week.ts'
import { schedulesText } from '../../text/schedules.ts'
import MarkedText from '../common/MarkedText.vue'

/**
 * Acts on a whole week: a window typed as one would say it, a day copied to others, and the hours turned
 * round.
 */
const props = defineProps<{ week: Week }>()
const emit = defineEmits<{ paint: [week: Week] }>()

const DAYS = WEEKDAYS.map((label, day) => ({ label, value: [day] as readonly number[] }))
const SETS = [
  { label: schedulesText.everyDay, value: [0, 1, 2, 3, 4, 5, 6] },
  { label: schedulesText.weekdays, value: [0, 1, 2, 3, 4] },
  { label: schedulesText.theWeekend, value: [5, 6] },
  { label: schedulesText.nightsBeforeSchoolDays, value: [6, 0, 1, 2, 3] },
  ...DAYS,
] as const
const onto = shallowRef<readonly number[]>(SETS[0].value)
const source = shallowRef<readonly number[]>(DAYS[0]!.value)
const target = shallowRef<readonly number[]>(SETS[0].value)
const from = ref('')
const until = ref('')

/** The minute of the day that was typed, `null` where it is none. */
function minuteOf(text: string): number | null {
  const clock = readClock(text)
  return clock === null ? null : Number(clock.slice(0, 2)) * 60 + Number(clock.slice(3))
}
/** The minutes of a length such as "10h", "90 min" or "1.5 h", `null` where it is none. */
function lengthOf(text: string): number | null {
  const match = /^(\d+(?:\.\d+)?)\s*(h|hours?|m|min|minutes?)$/i.exec(text.trim())
  return match ? Math.round(Number(match[1]) * (match[2]!.toLowerCase().startsWith('h') ? 60 : 1)) : null
}
const typed = computed(() => {
  const start = minuteOf(from.value)
  const length = lengthOf(until.value)
  const end = minuteOf(until.value)
  if (start === null || (length === null && end === null)) return null
  const span = length ?? ((end! - start + 1439) % 1440) + 1
  return span >= 1 && span <= 1440 ? { start, end: start + span } : null
})
const wrong = computed(() => from.value !== '' && until.value !== '' && typed.value === null)

function add() {
  if (!typed.value) return
  emit('paint', weekOf([...windowsOf(props.week), ...onto.value.map((day) => ({ day, ...typed.value! }))]))
  from.value = until.value = ''
}
</script>

<template>
  <div class="tools">
    <span class="group">
      <SelectField v-model="onto" :label="schedulesText.onWhichDays" :items="SETS" />
      <UInput
        v-model="from"
        :aria-label="schedulesText.from"
        class="w-20"
        :placeholder="schedulesText.timeExample"
        @keydown.enter.prevent="add"
      />
      {{ schedulesText.until }}
      <UInput
        v-model="until"
        :aria-label="schedulesText.untilOrLength"
        class="w-24"
        :placeholder="schedulesText.lengthExample"
        :aria-invalid="wrong"
        @keydown.enter.prevent="add"
      />
      <ActButton :disabled="typed === null" @click="add">{{ schedulesText.addTimeRange }}</ActButton>
    </span>
    <span class="group">
      <MarkedText v-slot="{ index }" :text="schedulesText.copyTo">
        <SelectField v-if="index === 0" v-model="source" :label="schedulesText.dayToCopy" :items="DAYS" />
        <SelectField v-else v-model="target" :label="schedulesText.daysToCopyTo" :items="SETS" />
      </MarkedText>
      <ActButton @click="emit('paint', copied(week, source[0]!, target))">{{ schedulesText.copy }}</ActButton>
    </span>
    <ActButton :title="schedulesText.invertWhy" @click="emit('paint', inverted(week))">{{
      schedulesText.invert
    }}</ActButton>
    <span v-if="wrong" class="wrong" role="alert">{{ schedulesText.timeHint }}</span>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 22px;
  align-items: center;
  margin-top: 10px;
  font-size: 13px;
  color: var(--soft);
}
.group {
  display: inline-flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
}
.wrong {
  flex-basis: 100%;
  color: var(--danger);
}
</style>
