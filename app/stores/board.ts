import { defineStore } from 'pinia'
import { computed, watch } from 'vue'
import { compiledOf } from '../../core/decision/compile.ts'
import { allowancesAt } from '../../core/allowance/outlook.ts'
import { momentsAlong, type Person } from '../../core/decision/periods.ts'
import type { StateAt } from '../../core/decision/moment.ts'
import { ownBlocks as blocksOfSome } from '../../core/picture/common.ts'
import { dayAt, startOfDay } from '../../core/time/instant.ts'
import type { Ranges } from '../../core/time/ranges.ts'
import { DAY } from '../../core/time/duration.ts'
import { boardRows } from '../model/board/board-rows.ts'
import { keepEqual } from '../composables/keepEqual.ts'
import { useDecided } from '../composables/useDecider.ts'
import { allowanceNote } from '../text/allowances.ts'
import { dayAxis } from '../text/time.ts'
import { useAllowances } from './allowances.ts'
import { useHistory } from './history.ts'
import { useMoment } from './moment.ts'
import { useDraftPolicy } from './draft.ts'
import { useGateway } from './gateway.ts'
import { useLive } from './live.ts'
import { usePlace } from './place.ts'

const NO_RANGES: Ranges = []

/**
 * Everyone on the network as of the moment: the policy that is in force then, the rows, and how each stands.
 */
export const useBoard = defineStore('board', () => {
  const [draft, live, place, gateway] = [useDraftPolicy(), useLive(), usePlace(), useGateway()]
  const moment = useMoment()
  const history = useHistory()
  const inForce = computed(() => live.answered && compiledOf(live.answered.policy))
  // By what they are made of: while somebody edits rules, the rows stay.
  const [devices, groups] = [computed(() => draft.answered?.devices), computed(() => draft.answered?.groups)]
  const rows = computed(() =>
    devices.value && groups.value && inForce.value
      ? boardRows({ devices: devices.value, groups: groups.value }, inForce.value, gateway.sightings)
      : [],
  )
  const people = computed((): Person[] =>
    rows.value.map((row) => ({
      device: row.subject.device ?? row.key,
      macs: row.macs,
      network: row.subject.network,
    })),
  )
  const period = computed(() => history.periods.findLast(({ from }) => from <= moment.at))
  /** The policy in force at the moment. */
  const policy = computed(() => period.value?.policy ?? live.answer.policy)
  /** The rules and overrides that block something for some alone, of all policies of the range. */
  const blocks = computed((before?: readonly string[]) =>
    keepEqual(before, [...new Set(history.periods.flatMap((one) => blocksOfSome(one.policy)))]),
  )
  const ownBlocks = computed(() => new Set(blocks.value))
  const compiled = computed(() => live.answered && compiledOf(policy.value))

  const along = computed(() =>
    compiled.value && history.periods.length > 0 ? momentsAlong(history.periods, people.value) : null,
  )
  const moments = computed((before?: readonly StateAt[]) => keepEqual(before, along.value?.(moment.at) ?? []))

  const today = computed(() => dayAt(moment.now, place.zone))
  const day = computed(() => dayAt(moment.at, place.zone))
  const axis = computed(() => dayAxis(day.value, place.zone))
  /** The week of the ribbon: from yesterday on, or from the day before the needle where that lies outside. */
  const week = computed(() => {
    const first =
      day.value >= today.value - 1 && day.value <= today.value + 5 ? today.value - 1 : day.value - 1
    return { first, from: startOfDay(first, place.zone), until: startOfDay(first + 7, place.zone) }
  })

  /**
   * Its course from the beginning of that week to nine days beyond the needle at least: by the week, so
   * that it holds while the needle moves in it.
   */
  const course = useDecided(() =>
    history.periods.length > 0 && people.value.length > 0
      ? {
          kind: 'course' as const,
          periods: history.periods,
          people: people.value,
          from: week.value.from,
          until: week.value.from + 16 * DAY,
        }
      : null,
  )

  const allowances = useAllowances()
  /** The last policy of the range, where some of its rules have an allowance. */
  const rationed = computed(() => {
    const last = history.periods.at(-1)?.policy
    return last?.rules.some(({ enabled, after }) => enabled && after !== null) ? last : null
  })
  const outlook = useDecided(() =>
    rationed.value && rows.value.length > 0
      ? {
          kind: 'outlook' as const,
          policy: rationed.value,
          subjects: rows.value.map(({ subject }) => subject),
          known: allowances.known,
          from: moment.minute,
          until: week.value.from + 16 * DAY,
        }
      : null,
  )
  /** The times at which each may be blocked by a used-up allowance; none until that is worked out. */
  const mayBe = computed((before?: readonly Ranges[]) =>
    keepEqual(
      before,
      rows.value.map((_, index) => outlook.value?.[index] ?? NO_RANGES),
    ),
  )
  /** The note beside the state of each on its allowances; empty where there are none. */
  const allowanceNotes = computed((before?: readonly string[]) => {
    const known = allowances.known
    return keepEqual(
      before,
      rows.value.map(({ subject }, index) => {
        const left =
          rationed.value && moment.isNow ? allowancesAt(policy.value, subject, known, moment.at) : []
        return allowanceNote(moments.value[index]!, left, mayBe.value[index]!, moment.at)
      }),
    )
  })

  watch(
    () => week.value.from,
    (from) => void history.reach(from),
    { immediate: true },
  )

  return {
    compiled,
    policy,
    ownBlocks,
    people,
    rows,
    moments,
    mayBe,
    allowanceNotes,
    today,
    day,
    axis,
    week,
    course,
  }
})
