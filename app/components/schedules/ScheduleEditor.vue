<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Schedule } from '../../../core/policy/types.ts'
import { localText, weekdayOf } from '../../../core/time/instant.ts'
import { readTypedWeek } from '../../../core/time/spoken-week.ts'
import { weekText, type Week } from '../../../core/time/week.ts'
import { scheduleForm } from '../../../protocol/forms.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useBoard } from '../../stores/board.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { usePlace } from '../../stores/place.ts'
import { capital } from '../../../core/words/rule.ts'
import { weekWords } from '../../../core/words/week.ts'
import ActButton from '../common/ActButton.vue'
import EntryEditor from '../common/EntryEditor.vue'
import TextField from '../common/TextField.vue'
import { minutesIn } from '../../model/paint.ts'
import CalendarFile from './CalendarFile.vue'
import ExceptionList from './ExceptionList.vue'
import ScheduleFacts from './ScheduleFacts.vue'
import WeekPainter from './WeekPainter.vue'
import WeekTools from './WeekTools.vue'
import { schedulesText } from '../../text/schedules.ts'
import MarkedText from '../common/MarkedText.vue'

/**
 * A schedule's name and week text, with the picture that follows every keystroke; an error marks its place
 * and leaves the last good picture.
 */
const props = withDefaults(defineProps<{ schedule: Schedule; isNew: boolean; users?: readonly string[] }>(), {
  users: () => [],
})
const emit = defineEmits<{ done: [id: string | null] }>()
const [draft, place, moment, board] = [useDraftPolicy(), usePlace(), useMoment(), useBoard()]
const edits = useDraft()

/** The schedule as it was when the editor opened: another window may change it meanwhile. */
const was = props.schedule
const name = ref(props.schedule.name)
const text = ref(props.schedule.week)
const exceptions = ref(props.schedule.exceptions)
const read = computed(() => readTypedWeek(text.value))
const fault = computed(() => ('fault' in read.value ? read.value.fault : null))
const week = ref<Week>([[], [], [], [], [], [], []])
watch(
  read,
  (now) => {
    if ('value' in now) week.value = now.value
  },
  { immediate: true },
)
/** The texts before each act of painting, the last one at the end. */
const past = ref<string[]>([])
function remember() {
  if (past.value.at(-1) !== text.value) past.value.push(text.value)
}
function paint(next: Week) {
  text.value = weekText(next)
}
function undo() {
  text.value = past.value.pop() ?? text.value
}
const hours = computed(() => Math.round(minutesIn(week.value) / 6) / 10)
const needle = computed(() => {
  const [hour, minute] = localText(moment.at, place.zone).slice(11, 16).split(':').map(Number)
  return { day: weekdayOf(board.day), minute: hour! * 60 + minute! }
})
const changed = computed(
  () =>
    props.isNew ||
    exceptions.value !== props.schedule.exceptions ||
    name.value.trim() !== props.schedule.name ||
    (!fault.value && weekText(week.value) !== props.schedule.week),
)

const form = computed(() => ({
  name: name.value,
  week: weekText(week.value),
  exceptions: exceptions.value,
  note: props.schedule.note,
}))

async function save() {
  const id = await edits.put(
    'schedule',
    props.isNew ? null : props.schedule.id,
    form.value,
    props.isNew ? undefined : was,
  )
  if (id) emit('done', props.isNew ? id : null)
}
async function drop(instead?: string | null) {
  if (await edits.remove('schedule', props.schedule, instead)) emit('done', null)
}
</script>

<template>
  <EntryEditor
    :was="isNew ? undefined : was"
    :form="form"
    :edited="{ name, text, exceptions }"
    :schema="scheduleForm"
    :draft="edits"
    :others="draft.policy.schedules"
    copied="schedule"
    :blocked="fault !== null || name.trim() === '' || !changed"
    @save="save"
    @remove="drop"
    @close="emit('done', null)"
  >
    <div class="whole">
      <div class="fields">
        <TextField
          v-model="name"
          :label="schedulesText.name"
          name="name"
          class="part"
          required
          :placeholder="schedulesText.nameExample"
        />
        <UFormField :label="schedulesText.week" name="week" class="part wide"
          ><UInput
            v-model="text"
            class="w-full"
            required
            spellcheck="false"
            :aria-invalid="fault !== null"
            aria-describedby="week-help"
        /></UFormField>
      </div>
      <WeekPainter
        :week="week"
        :needle="needle"
        @begin="remember"
        @paint="paint"
        @keydown.ctrl.z.prevent="undo"
        @keydown.meta.z.prevent="undo"
      />
      <p id="week-help" class="help" :class="{ fault }" aria-live="polite">
        <template v-if="fault"
          ><span class="quote"
            >{{ text.slice(0, fault.from) }}<mark>{{ text.slice(fault.from, fault.until) || '…' }}</mark
            >{{ text.slice(fault.until) }}</span
          >
          {{ schedulesText.showsLastValid(fault.message) }}</template
        >
        <MarkedText v-else :text="schedulesText.hoursAWeek(capital(weekWords(week)), hours)" />
      </p>
      <WeekTools :week="week" @paint="(next) => (remember(), paint(next))" />
      <ExceptionList v-model="exceptions" />
      <CalendarFile
        v-model:exceptions="exceptions"
        :schedule="{ ...schedule, name, week: weekText(week), exceptions }"
        :week="week"
        @paint="(next) => (remember(), paint(next))"
      />
      <ScheduleFacts :id="schedule.id" :week="weekText(week)" :exceptions="exceptions" />
      <p v-if="!isNew" class="soft users">
        {{ users.length === 0 ? schedulesText.notUsedYet : schedulesText.usedBy(users) }}
      </p>
      <ActButton v-if="past.length > 0" @click="undo">{{ schedulesText.undoTheLastChange }}</ActButton>
    </div>
  </EntryEditor>
</template>

<style scoped>
.whole {
  flex: 1 1 100%;
  min-width: 0;
}
.fields {
  display: flex;
  gap: 16px;
  flex-wrap: wrap;
  margin-bottom: 12px;
}
.part {
  flex: 1 1 160px;
}
.wide {
  flex: 2 1 280px;
}
.help {
  min-height: 38px;
  padding: 6px 0 8px;
  color: var(--soft);
}
.help b {
  color: var(--ink);
  font-weight: 600;
}
.help.fault {
  color: var(--danger);
}
.quote {
  font-weight: 600;
}
mark {
  background: none;
  color: inherit;
  text-decoration: underline wavy var(--danger);
  text-underline-offset: 3px;
}
.users {
  margin-top: 8px;
}
</style>
