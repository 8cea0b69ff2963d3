<script setup lang="ts">
import { computed, ref } from 'vue'
import { covers } from '../../../core/time/ranges.ts'
import { timesWithin } from '../../../core/decision/candidate.ts'
import { DAY } from '../../../core/time/instant.ts'
import ScheduleEditor from '../../components/hours/ScheduleEditor.vue'
import { addressOf, useOpened } from '../../composables/useOpened.ts'
import { useMoment } from '../../stores/moment.ts'
import { useNetwork } from '../../stores/network.ts'
import { capital } from '../../text/rule.ts'
import { countWords, listWords, plural } from '../../text/count.ts'
import { weekTextWords } from '../../text/week.ts'
import { whenWords } from '../../text/time.ts'
import EntryHead from '../../components/shell/EntryHead.vue'
import { NEW_SCHEDULE } from '../../components/hours/paint.ts'

definePageMeta({ key: 'schedules' })
useHead({ title: 'Schedules · Kairostat' })
const [network, moment] = [useNetwork(), useMoment()]
const opened = useOpened('/schedules')
const chosen = opened.entry
const isNew = computed(() => opened.begun.value !== null)
const edited = computed(() => rows.value.find(({ schedule }) => schedule.id === chosen.value))
const minute = computed(() => Math.floor(moment.at / 60) * 60)
const times = computed(() => timesWithin(network.draft!, minute.value - DAY, minute.value + 8 * DAY))
const rows = computed(() => network.draft!.schedules.map((schedule) => {
  const ranges = times.value({ schedules: [schedule.id], outside: false })
  const inside = covers(ranges, minute.value)
  const turn = inside ? ranges.find(range => range.until > minute.value)!.until : ranges.find(range => range.from > minute.value)?.from
  const users = network.draft!.rules.filter(({ when }) => 'schedules' in when && when.schedules.includes(schedule.id)).map(rule => rule.name)
  return { schedule, inside, users, said: capital(weekTextWords(schedule.week)), words: turn === undefined ? 'not in the coming week' : `${inside ? 'now, until' : 'next'} ${whenWords(turn, moment.at, network.zone)}` }
}))
const inside = computed(() => rows.value.filter(row => row.inside).map(row => row.schedule.name))
const headline = computed(() => {
  if (inside.value.length === 0) return 'no schedule is active'
  return `${inside.value.length <= 3 ? listWords(inside.value) : `${inside.value.length} of ${rows.value.length} schedules`} ${plural(inside.value.length, 'is', 'are')} active`
})
/** From so many schedules on one looks for one by its name. */
const MANY = 12
const search = ref('')
const shown = computed(() => rows.value.filter(({ schedule }) => `${schedule.name} ${schedule.note}`.toLowerCase().includes(search.value.trim().toLowerCase())))
</script>

<template>
  <section aria-label="Schedules">
    <EntryHead v-if="isNew || chosen !== null" all="All schedules" to="/schedules" :where="isNew ? 'new schedule' : edited?.words" :missing="!isNew && !edited" />
    <ScheduleEditor v-if="isNew" :schedule="NEW_SCHEDULE" :is-new="true" @done="opened.close" />
    <ScheduleEditor v-else-if="edited" :key="edited.schedule.id" :schedule="edited.schedule" :is-new="false" :users="edited.users" @done="opened.close" />
    <div class="head">
      <h1>{{ moment.isNow ? 'Right now' : 'At that moment' }}, <b>{{ headline }}</b></h1>
      <UButton @click="opened.begin()">New schedule</UButton>
    </div>
    <p class="soft">Schedules are weekly times with a name. <NuxtLink to="/rules" class="link">Rules</NuxtLink> say what is blocked in them, and for whom.</p>
    <p v-if="rows.length === 0 && !isNew" class="empty">No schedules yet. Create one, such as <i>Mo-Su 21:00-07:00</i>, and use it in as many rules as you like.</p>
    <UInput v-if="rows.length > MANY" v-model="search" type="search" class="find" aria-label="Search schedules" placeholder="Search by name" />
    <p v-if="rows.length > 0 && shown.length === 0" class="empty">No schedule matches “{{ search }}”. <UButton @click="search = ''">Show all</UButton></p>
    <ul>
      <li v-for="row in shown" :key="row.schedule.id">
        <NuxtLink :to="addressOf('/schedules', row.schedule.id)" class="row" :class="{ chosen: row === edited }" :aria-current="row === edited">
          <span class="name">{{ row.schedule.name }}</span>
          <span class="week" :title="row.schedule.week">{{ row.said }}<small v-if="row.schedule.exceptions.length > 0"> and {{ countWords(row.schedule.exceptions.length, 'exception') }}</small></span>
          <span :class="row.inside ? 'inside' : 'soft'">{{ row.words }}<small v-if="row.users.length === 0" class="unused">not used</small></span>
        </NuxtLink>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.unused { color: var(--warn); margin-left: 8px; font-weight: 400; }
.empty { margin-top: 16px; max-width: 52ch; }
.find { margin-top: 12px; width: 300px; max-width: 100%; }
ul { margin-top: 14px; border-top: 1px solid var(--hair); }
li { border-bottom: 1px solid var(--hair); }
.row { display: grid; grid-template-columns: 180px minmax(0, 1fr) auto; gap: 4px 16px; width: 100%; padding: 9px 8px; text-align: left; cursor: pointer; align-items: baseline; }
.row:hover, .row.chosen { background: var(--leaf); }
.name { font: 500 16px var(--font-head); }
.week small { color: var(--soft); font-size: 13px; }
.inside { font-weight: 600; }
@media (max-width: 760px) { .row { grid-template-columns: minmax(0, 1fr); } }
</style>
