<script setup lang="ts">
import { computed } from 'vue'
import { allowancesAt, type AllowanceLeft } from '../../../core/allowance/outlook.ts'
import type { Subject } from '../../../core/decision/subject.ts'
import type { Amount } from '../../../core/policy/types.ts'
import type { Ranges } from '../../../core/time/ranges.ts'
import equal from 'fast-deep-equal'
import { readInstant } from '../../../core/time/instant.ts'
import { leftOfWords } from '../../../core/words/allowance.ts'
import { amountWords } from '../../../core/words/rule.ts'
import { useOverride, type Whom } from '../../composables/useOverride.ts'
import { addressOf } from '../../composables/useOpened.ts'
import { useAllowances } from '../../stores/allowances.ts'
import { useBoard } from '../../stores/board.ts'
import { useLive } from '../../stores/live.ts'
import { useMe } from '../../stores/me.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { allowancesText, earliestWords } from '../../text/allowances.ts'
import { whenWords } from '../../text/time.ts'
import ActButton from '../common/ActButton.vue'
import OpenLink from '../common/OpenLink.vue'

/** The allowances that a device has left, with one press for more. */
const props = defineProps<{
  subject: Subject
  name: string
  who: Whom
  mayBe: Ranges
  isBlocked: boolean
  mayAct: boolean
}>()
const [allowances, board, live, me, moment, place] = [
  useAllowances(),
  useBoard(),
  useLive(),
  useMe(),
  useMoment(),
  usePlace(),
]
const { busy, addMore, lift } = useOverride()
const time = (instant: string) => whenWords(readInstant(instant)!, moment.at, place.zone)
/** The amounts that one press adds. */
const [MINUTES, MEGABYTES] = [20, 200]

const lines = computed(() =>
  moment.isNow
    ? allowancesAt(board.policy, props.subject, allowances.known, moment.at).map((one, index, all) => ({
        ...one,
        name: board.policy.rules.find(({ id }) => id === one.rule)?.name ?? one.rule,
        again: one.left === 0 ? allowancesText.again(whenWords(one.until, moment.at, place.zone)) : '',
        // An addition counts for all allowances of the same measure.
        more: all.findIndex(({ measure }) => measure === one.measure) === index ? moreOf(one) : null,
      }))
    : [],
)
/** The additions for this device alone that count now: they can be undone. */
const added = computed(() =>
  props.mayAct && moment.isNow
    ? live.answer.policy.overrides.filter(
        ({ more, who, from, until }) =>
          more !== null &&
          equal([who.devices, who.macs], [[...props.who.devices], [...(props.who.macs ?? [])]]) &&
          who.groups.length === 0 &&
          readInstant(from)! <= moment.now &&
          (until === null || moment.now < readInstant(until)!),
      )
    : [],
)
const earliest = computed(() =>
  props.isBlocked || moment.at < moment.now - 60 ? '' : earliestWords(props.mayBe, moment.at, place.zone),
)

/** Returns the amount that one press adds to an allowance; `null` = the account may not add it. */
function moreOf({ measure }: AllowanceLeft): { amount: Amount; label: string } | null {
  const most = me.limit?.minutes ?? Infinity
  if (measure === 'megabytes')
    return me.limit
      ? null
      : { amount: { megabytes: MEGABYTES }, label: allowancesText.megabytesMore(MEGABYTES) }
  const minutes = Math.min(MINUTES, most)
  return { amount: { minutes }, label: allowancesText.minutesMore(minutes) }
}
</script>

<template>
  <section v-if="lines.length > 0 || earliest" class="allowances" :aria-label="allowancesText.allowances">
    <p v-if="earliest" class="earliest">{{ earliest }}</p>
    <ul v-if="lines.length > 0">
      <li v-for="line in lines" :key="line.rule">
        <span
          ><OpenLink :to="addressOf('/rules', line.rule)" class="rule">{{ line.name }}</OpenLink
          >: {{ [leftOfWords(line), line.again].filter(Boolean).join(', ') }}</span
        >
        <ActButton
          v-if="mayAct && line.more"
          :loading="busy"
          @click="addMore(line.more.amount, who, allowancesText.added(name, line.more.label))"
          >{{ line.more.label }}</ActButton
        >
      </li>
    </ul>
    <ul v-if="added.length > 0" :aria-label="allowancesText.addedNow">
      <li v-for="one in added" :key="one.id">
        <span class="soft">{{ allowancesText.addedAt(amountWords(one.more!), time(one.from)) }}</span>
        <ActButton variant="ghost" :loading="busy" @click="lift(one)">{{
          allowancesText.takeBack
        }}</ActButton>
      </li>
    </ul>
    <p v-if="lines.some(({ left }) => left === null)" class="soft">{{ allowancesText.notKnown }}</p>
  </section>
</template>

<style scoped>
.allowances {
  margin-bottom: 14px;
}
.earliest {
  margin-bottom: 6px;
}
li {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  gap: 6px 12px;
  padding: 6px 0;
  border-top: 1px solid var(--hair);
}
.rule:hover {
  text-decoration: underline;
  text-underline-offset: 3px;
}
</style>
