<script setup lang="ts">
import { computed, ref } from 'vue'
import { covers } from '../../../core/time/ranges.ts'
import { timesWithin } from '../../../core/decision/candidate.ts'
import { DAY, startOfMinute } from '../../../core/time/duration.ts'
import ActButton from '../../components/common/ActButton.vue'
import ScheduleEditor from '../../components/schedules/ScheduleEditor.vue'
import { addressOf, useOpened } from '../../composables/useOpened.ts'
import { useBoard } from '../../stores/board.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { usePlace } from '../../stores/place.ts'
import { capital } from '../../../core/words/rule.ts'
import { weekTextWords } from '../../../core/words/week.ts'
import { whenWords } from '../../text/time.ts'
import RangeBars from '../../components/common/RangeBars.vue'
import EntryHead from '../../components/common/EntryHead.vue'
import { NEW_SCHEDULE } from '../../model/paint.ts'
import { schedulesText } from '../../text/schedules.ts'
import MarkedText from '../../components/common/MarkedText.vue'

definePageMeta({ key: 'schedules' })
useHead({ title: schedulesText.pageTitle })
const [board, draft, place, moment] = [useBoard(), useDraftPolicy(), usePlace(), useMoment()]
const opened = useOpened('/schedules')
const chosen = opened.entry
const isNew = computed(() => opened.begun.value !== null)
const edited = computed(() => rows.value.find(({ schedule }) => schedule.id === chosen.value))
const minute = computed(() => startOfMinute(moment.at))
const times = computed(() => timesWithin(draft.policy, minute.value - DAY, minute.value + 8 * DAY))
/** The week of the ribbon above. */
const timesOfWeek = computed(() => timesWithin(draft.policy, board.week.from, board.week.until))
const rows = computed(() =>
  draft.policy.schedules.map((schedule) => {
    const ranges = times.value({ schedules: [schedule.id], outside: false })
    const inside = covers(ranges, moment.at)
    const turn = inside
      ? ranges.find((range) => range.until > moment.at)!.until
      : ranges.find((range) => range.from > moment.at)?.from
    const users = draft.policy.rules
      .filter(({ when }) => 'schedules' in when && when.schedules.includes(schedule.id))
      .map((rule) => rule.name)
    return {
      schedule,
      inside,
      users,
      week: timesOfWeek.value({ schedules: [schedule.id], outside: false }),
      said: capital(weekTextWords(schedule.week)),
      words:
        turn === undefined
          ? schedulesText.notInTheComingWeek
          : (inside ? schedulesText.nowUntil : schedulesText.nextFrom)(
              whenWords(turn, moment.at, place.zone),
            ),
    }
  }),
)
const inside = computed(() => rows.value.filter((row) => row.inside).map((row) => row.schedule.name))
const headline = computed(() => {
  if (inside.value.length === 0) return schedulesText.noneActive(moment.isNow)
  return schedulesText.activeSchedules(moment.isNow, inside.value, rows.value.length)
})
/** The number of schedules from which one is searched by its name. */
const SEARCHED_FROM = 12
const search = ref('')
const shown = computed(() =>
  rows.value.filter(({ schedule }) =>
    `${schedule.name} ${schedule.note}`.toLowerCase().includes(search.value.trim().toLowerCase()),
  ),
)
</script>

<template>
  <section :aria-label="schedulesText.schedules">
    <EntryHead
      v-if="isNew || chosen !== null"
      :all="schedulesText.allSchedules"
      to="/schedules"
      :where="isNew ? schedulesText.newScheduleCrumb : edited?.words"
      :missing="!isNew && !edited"
    />
    <ScheduleEditor v-if="isNew" :schedule="NEW_SCHEDULE" :is-new="true" @done="opened.close" />
    <ScheduleEditor
      v-else-if="edited"
      :key="edited.schedule.id"
      :schedule="edited.schedule"
      :is-new="false"
      :users="edited.users"
      @done="opened.close"
    />
    <div class="head">
      <h1><MarkedText :text="headline" /></h1>
      <ActButton @click="opened.begin()">{{ schedulesText.newSchedule }}</ActButton>
    </div>
    <p class="soft">
      <MarkedText v-slot="{ words }" :text="schedulesText.schedulesWeeklyTimesWithName"
        ><NuxtLink to="/rules" class="link">{{ words }}</NuxtLink></MarkedText
      >
    </p>
    <p v-if="rows.length === 0 && !isNew" class="empty">
      <MarkedText v-slot="{ words }" :text="schedulesText.noSchedulesYet"
        ><i>{{ words }}</i></MarkedText
      >
    </p>
    <UInput
      v-if="rows.length > SEARCHED_FROM"
      v-model="search"
      type="search"
      class="find"
      :aria-label="schedulesText.searchSchedules"
      :placeholder="schedulesText.searchByName"
    />
    <p v-if="rows.length > 0 && shown.length === 0" class="empty">
      {{ schedulesText.noScheduleMatches(search) }}
      <ActButton @click="search = ''">{{ schedulesText.showAll }}</ActButton>
    </p>
    <ul>
      <li v-for="row in shown" :key="row.schedule.id">
        <NuxtLink
          :to="addressOf('/schedules', row.schedule.id)"
          class="row"
          :class="{ chosen: row === edited }"
          :aria-current="row === edited"
        >
          <span class="name">{{ row.schedule.name }}</span>
          <span class="week" :title="row.schedule.week"
            >{{ row.said }}
            <small v-if="row.schedule.exceptions.length > 0">{{
              schedulesText.andExceptions(row.schedule.exceptions.length)
            }}</small></span
          >
          <RangeBars
            class="bars"
            :ranges="row.week"
            :from="board.week.from"
            :until="board.week.until"
            :at="moment.at"
            :width="200"
            :above="8"
            :label="schedulesText.timesInTheWeek(row.week.length)"
          />
          <span :class="row.inside ? 'inside' : 'soft'"
            >{{ row.words
            }}<small v-if="row.users.length === 0" class="unused">{{ schedulesText.notUsed }}</small></span
          >
        </NuxtLink>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.unused {
  color: var(--warn);
  margin-left: 8px;
  font-weight: 400;
}
.empty {
  margin-top: 16px;
  max-width: 52ch;
}
.find {
  margin-top: 12px;
  width: 300px;
  max-width: 100%;
}
ul {
  margin-top: 14px;
  border-top: 1px solid var(--hair);
}
li {
  border-bottom: 1px solid var(--hair);
}
.row {
  display: grid;
  grid-template-columns: 180px minmax(0, 1fr) 200px minmax(150px, auto);
  gap: 4px 16px;
  width: 100%;
  padding: 9px 8px;
  text-align: left;
  cursor: pointer;
  align-items: baseline;
}
.row:hover,
.row.chosen {
  background: var(--leaf);
}
.name {
  font: 500 16px var(--font-head);
}
.week small {
  color: var(--soft);
  font-size: 13px;
}
.inside {
  font-weight: 600;
}
.bars {
  align-self: center;
}
@media (max-width: 760px) {
  .row {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
