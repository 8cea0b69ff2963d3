<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Exception } from '../../../core/policy/types.ts'
import { dateText, readDate } from '../../../core/time/instant.ts'
import { coveredExceptions } from '../../../core/time/schedule.ts'
import { DAY_NAMES } from '../../../core/time/week.ts'
import { readSpokenException } from '../../../core/time/spoken-exception.ts'
import { useBoard } from '../../stores/board.ts'
import { schedulesText } from '../../text/schedules.ts'
import ActButton from '../common/ActButton.vue'

/** The dates on which a schedule has other hours; the first that covers a date counts. */
const exceptions = defineModel<readonly Exception[]>({ required: true })
const board = useBoard()
const today = computed(() => dateText(board.today))
/** The typed dates with their times, and their name. */
const [said, name] = [ref(''), ref('')]
const read = computed(() => readSpokenException(said.value, board.today))
/**
 * The exceptions that never count, since earlier ones cover all of their dates, by their place in the list.
 */
const covered = computed(() => new Set(coveredExceptions(exceptions.value)))
const past = computed(() => exceptions.value.filter((exception) => exception.until < today.value))
const MONTHS = 3
/** The coming months, each day with whether an exception covers it. */
const months = computed(() =>
  Array.from({ length: MONTHS }, (_, index) => {
    const first = new Date(`${today.value.slice(0, 7)}-01T00:00Z`)
    first.setUTCMonth(first.getUTCMonth() + index)
    const start = readDate(first.toISOString().slice(0, 10))!
    const length = new Date(Date.UTC(first.getUTCFullYear(), first.getUTCMonth() + 1, 0)).getUTCDate()
    const days = Array.from({ length }, (_, day) => dateText(start + day))
    return {
      name: first.toLocaleDateString('en-GB', { month: 'long', year: 'numeric', timeZone: 'UTC' }),
      blank: (first.getUTCDay() + 6) % 7,
      days: days.map((date) => ({
        date,
        exception: exceptions.value.find((one) => one.from <= date && date <= one.until),
      })),
    }
  }),
)

function add() {
  if (!read.value) return
  exceptions.value = [...exceptions.value, { ...read.value, name: name.value.trim() }]
  said.value = name.value = ''
}
/** A day of the calendar begins a span; a second one ends it. */
function pick(date: string) {
  const [from, until] = [read.value?.from, read.value?.until]
  said.value = from !== undefined && from === until && date > from ? `${from} to ${date} off` : `${date} off`
}
</script>

<template>
  <section class="exceptions" :aria-label="schedulesText.exceptions">
    <h2>{{ schedulesText.exceptions }}</h2>
    <ul>
      <li v-for="(exception, index) in exceptions" :key="index" :class="{ soft: exception.until < today }">
        {{ schedulesText.exceptionDates(exception) }}
        <span v-if="covered.has(index)" class="fault">{{ schedulesText.noEffect }}</span>
        <ActButton
          :aria-label="schedulesText.deleteException(exception.from)"
          @click="exceptions = exceptions.filter((_, other) => other !== index)"
          >{{ schedulesText.remove }}</ActButton
        >
      </li>
    </ul>
    <p v-if="past.length > 0">
      <ActButton @click="exceptions = exceptions.filter((exception) => exception.until >= today)">{{
        schedulesText.deletePastOnes(past.length)
      }}</ActButton>
    </p>
    <form class="add" @submit.prevent="add">
      <UInput
        v-model="said"
        :aria-label="schedulesText.datesAndTimes"
        :placeholder="schedulesText.datesExample"
        class="w-56"
        maxlength="100"
        :aria-invalid="said !== '' && read === null"
      />
      {{ ' ' }}
      <UInput
        v-model="name"
        :aria-label="schedulesText.nameOfTheDates"
        :placeholder="schedulesText.nameOfTheDatesExample"
        class="w-40"
        maxlength="200"
      />
      {{ ' ' }}
      <ActButton type="submit" :disabled="read === null">{{ schedulesText.addException }}</ActButton>
      <span v-if="read" class="soft" role="status">{{
        schedulesText.exceptionDates({ ...read, name: '' })
      }}</span>
      <span v-else-if="said !== ''" class="fault" role="alert">{{ schedulesText.datesHow }}</span>
    </form>
    <div class="months">
      <table v-for="month in months" :key="month.name">
        <caption>
          {{
            month.name
          }}
        </caption>
        <thead>
          <tr>
            <th v-for="day in DAY_NAMES" :key="day" scope="col">{{ day }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in Math.ceil((month.blank + month.days.length) / 7)" :key="row">
            <td v-for="column in 7" :key="column">
              <template
                v-for="day in month.days.slice(
                  (row - 1) * 7 + column - 1 - month.blank,
                  (row - 1) * 7 + column - month.blank,
                )"
                :key="day.date"
              >
                <ActButton
                  v-if="(row - 1) * 7 + column > month.blank"
                  class="date"
                  variant="ghost"
                  :class="{
                    covered: day.exception,
                    today: day.date === today,
                    picked: read && (day.date === read.from || day.date === read.until),
                  }"
                  :aria-label="day.exception ? schedulesText.exceptionDates(day.exception) : day.date"
                  :title="day.exception && schedulesText.exceptionDates(day.exception)"
                  @click="pick(day.date)"
                >
                  {{ Number(day.date.slice(8)) }}
                </ActButton>
              </template>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
.exceptions {
  margin-top: 14px;
  font-size: 13px;
}
h2 {
  font: 500 13.5px var(--font-sans);
  letter-spacing: 0;
  margin-bottom: 4px;
}
.add {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  margin: 6px 0;
}
.fault {
  color: var(--danger);
}
.months {
  display: flex;
  align-items: flex-start;
  flex-wrap: wrap;
  gap: 6px 28px;
  margin-top: 8px;
}
caption {
  text-align: left;
  font-family: var(--font-head);
  font-size: 14px;
}
th {
  font-weight: 400;
  color: var(--soft);
}
td {
  padding: 0;
  text-align: center;
}
.date {
  width: 32px;
  justify-content: center;
  padding: 0;
}
.date.covered {
  background: var(--ink);
  color: var(--leaf);
}
.date.today:not(.covered) {
  font-weight: 700;
  text-decoration: underline;
}
.date.picked {
  outline: 1.5px solid var(--ink);
}
</style>
