<script setup lang="ts">
import { errorText } from '../../../core/words/error-text.ts'
import { computed, ref } from 'vue'
import type { CalendarEntry } from '../../../core/import/icalendar.ts'
import type { Exception, Schedule } from '../../../core/policy/types.ts'
import { dateText } from '../../../core/time/instant.ts'
import { clockText, DAY_NAMES, type Week } from '../../../core/time/week.ts'
import { readFile } from '../../composables/readFile.ts'
import { saveFile } from '../../composables/saveFile.ts'
import { useBoard } from '../../stores/board.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { weekOf, windowsOf } from '../../model/paint.ts'
import ActButton from '../common/ActButton.vue'
import FileButton from '../common/FileButton.vue'
import HolidayPicker from './HolidayPicker.vue'
import { clockWords } from '../../../core/words/clock.ts'
import { schedulesText } from '../../text/schedules.ts'

/**
 * Hours out into a calendar file, and entries of one in: whole days as exceptions, weekly events as windows.
 */
const props = defineProps<{ schedule: Schedule; week: Week }>()
const emit = defineEmits<{ paint: [week: Week] }>()
const exceptions = defineModel<readonly Exception[]>('exceptions', { required: true })
const [place, moment, board] = [usePlace(), useMoment(), useBoard()]
const entries = ref<CalendarEntry[]>([])
const picked = ref<boolean[]>([])
const trouble = ref('')
/** Whether somebody chooses a country for its holidays. */
const isChoosing = ref(false)
const chosen = computed(() => entries.value.filter((_, index) => picked.value[index]))
// Calendars and their time-zone data are large, and seldom wanted: loaded when they are.
const format = () => import('../../../core/export/icalendar.ts')

async function save() {
  const { scheduleCalendar } = await format()
  const text = scheduleCalendar(props.schedule, place.zone, board.today, moment.now)
  saveFile(`${props.schedule.id || 'hours'}.ics`, 'text/calendar', text)
}
async function open(file: File) {
  trouble.value = ''
  entries.value = []
  try {
    offer(await readFile('calendar', file))
    if (entries.value.length === 0) trouble.value = schedulesText.hasNoEvents(file.name)
  } catch (error) {
    trouble.value = errorText(error)
  }
}
/** Shows what can be taken in. */
function offer(found: CalendarEntry[]) {
  entries.value = found
  picked.value = found.map((entry) => entry.becomes === 'exception')
  isChoosing.value = false
}
function take() {
  const dates = chosen.value.flatMap((entry) => entry.exception ?? [])
  const windows = chosen.value.flatMap(({ days, span }) =>
    span ? days.map((day) => ({ day, ...span })) : [],
  )
  if (dates.length > 0) exceptions.value = [...exceptions.value, ...dates]
  if (windows.length > 0) emit('paint', weekOf([...windowsOf(props.week), ...windows]))
  entries.value = []
}
function words({ becomes, exception, days, span, reason }: CalendarEntry): string {
  if (becomes === 'exception') return schedulesText.datesOff(exception!.from, exception!.until)
  if (becomes === 'none') return schedulesText.cannotBeImported(reason)
  return schedulesText.weeklyRange(
    days.map((day) => DAY_NAMES[day]).join(', '),
    clockWords(clockText(span!.start)),
    clockWords(clockText(span!.end % 1440)),
  )
}
</script>

<template>
  <div class="calendar">
    <p>
      <ActButton @click="save">{{ schedulesText.exportAsCalendar }}</ActButton>
      <FileButton :label="schedulesText.importACalendar" accept=".ics,text/calendar" @file="open" />
      <ActButton :aria-expanded="isChoosing" @click="isChoosing = !isChoosing">{{
        schedulesText.publicHolidays
      }}</ActButton>
    </p>
    <HolidayPicker v-if="isChoosing" :from="dateText(board.today)" @found="offer" />
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="entries.length > 0">
      <ul :aria-label="schedulesText.eventsOfTheCalendar">
        <li v-for="(entry, index) in entries" :key="index" :class="{ soft: entry.becomes === 'none' }">
          <UCheckbox
            v-model="picked[index]"
            :disabled="entry.becomes === 'none'"
            :label="`${entry.name}: ${words(entry)}`"
          />
        </li>
      </ul>
      <ActButton :disabled="chosen.length === 0" @click="take">{{
        schedulesText.importMany(chosen.length)
      }}</ActButton>
    </template>
  </div>
</template>

<style scoped>
.calendar {
  margin-top: 12px;
  font-size: 13px;
}
p {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
}
ul {
  max-height: 220px;
  overflow: auto;
  margin: 6px 0;
}
</style>
