import { defineStore } from 'pinia'
import { computed } from 'vue'
import type { State } from '../../core/decision/standing.ts'
import type { StateRange } from '../../core/picture/band.ts'
import { drawnStretches } from '../../core/picture/common.ts'
import type { Group } from '../../core/policy/types.ts'
import { startOfDay } from '../../core/time/instant.ts'
import { DAY } from '../../core/time/duration.ts'
import { useDecided } from '../composables/useDecider.ts'
import type { Row } from '../model/board/board-rows.ts'
import { jointState, jointStretches, peopleOf } from '../model/people.ts'
import { allowancesText } from '../text/allowances.ts'
import { useBoard } from './board.ts'
import { useHistory } from './history.ts'
import { useLive } from './live.ts'
import { useMoment } from './moment.ts'
import { usePlace } from './place.ts'

/** The days from the needle's on for which it is worked out how people stand. */
const DAYS_AHEAD = 9

const UNKNOWN = { stretches: [] as StateRange[], band: [] as StateRange[] }

/** Somebody as they stand at the moment shown: as all of their devices do. */
export interface PersonLine {
  readonly group: Group
  readonly rows: readonly Row[]
  readonly state: State
  /** The end of that state, in seconds; `null` = none in the days that are worked out. */
  readonly until: number | null
  /** The rule by whose name all are so; empty where several decide, or none. */
  readonly rule: string
  /** What is left of an allowance, in words; empty = nothing to say. */
  readonly note: string
  /** The stretch of this very moment, wherever the needle is; `null` = it is not worked out. */
  readonly current: StateRange | null
  /** The stretches from the beginning of the needle's day on; empty until they are worked out. */
  readonly stretches: readonly StateRange[]
  /** The same as they are drawn. */
  readonly band: readonly StateRange[]
}

/** The people of the live policy with devices, as they stand at the moment shown. */
export const usePeople = defineStore('people', () => {
  const [board, history, live, moment, place] = [useBoard(), useHistory(), useLive(), useMoment(), usePlace()]
  const groups = computed(() => (live.answered ? peopleOf(live.answered.policy) : []))
  /** The places of each person's devices among the rows of the board. */
  const places = computed(() =>
    groups.value.map(({ members }) =>
      board.rows.flatMap(({ subject: { device } }, index) =>
        device !== null && members.includes(device) ? [index] : [],
      ),
    ),
  )
  const from = computed(() => startOfDay(board.day, place.zone))
  const asked = computed(() => places.value.flat())
  const timelines = useDecided(() =>
    history.periods.length > 0 && asked.value.length > 0
      ? {
          kind: 'periods' as const,
          periods: history.periods,
          people: asked.value.map((index) => board.people[index]!),
          from: from.value,
          until: from.value + DAYS_AHEAD * DAY,
        }
      : null,
  )
  const bands = computed(() => {
    const answer = timelines.value
    if (answer?.length !== asked.value.length) return null
    let next = 0
    return places.value.map((own) => {
      const devices = own.map(() => answer[next++]!.segments)
      const drawn = devices.map((segments) => drawnStretches(segments, board.ownBlocks))
      return { stretches: jointStretches(devices), band: jointStretches(drawn) }
    })
  })
  const lines = computed(() =>
    groups.value.flatMap((group, index): PersonLine[] => {
      const own = places.value[index]!
      const moments = own.flatMap((at) => board.moments[at] ?? [])
      if (moments.length === 0) return []
      const { stretches, band } = bands.value?.[index] ?? UNKNOWN
      const at = (instant: number) =>
        stretches.find(({ from, until }) => from <= instant && instant < until) ?? null
      const shown = at(moment.at)
      const ids = new Set(moments.map(({ decidedBy }) => (decidedBy?.kind === 'rule' ? decidedBy.id : '')))
      const [id] = ids.size === 1 ? ids : ['']
      return [
        {
          group,
          rows: own.map((place) => board.rows[place]!),
          state: jointState(moments.map(({ state }) => state)),
          until: shown && shown.until < from.value + DAYS_AHEAD * DAY ? shown.until : null,
          rule: board.policy.rules.find((rule) => rule.id === id)?.name ?? '',
          // That one of the devices may be blocked says nothing about the others.
          note:
            own
              .map((place) => board.allowanceNotes[place] ?? '')
              .find((note) => note !== '' && note !== allowancesText.mayBeBlocked) ?? '',
          current: at(moment.now),
          stretches,
          band,
        },
      ]
    }),
  )

  return { lines }
})
