import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import type { State } from '../../core/decision/standing.ts'
import { startOfDay } from '../../core/time/instant.ts'
import { DAY, HOUR } from '../../core/time/duration.ts'
import { timeAxis } from '../text/time.ts'
import { useBoard } from './board.ts'
import { useMoment } from './moment.ts'
import { usePlace } from './place.ts'

/** The shortest and the longest range that the board shows. */
const MIN_RANGE_SECONDS = HOUR
const MAX_RANGE_SECONDS = 28 * DAY

export const SORTS = ['group', 'network', 'name', 'state', 'next change'] as const
export type Sort = (typeof SORTS)[number]

/** The view of the board: the range of time, the order, and the devices. */
export const useView = defineStore('view', () => {
  const [place, board, moment] = [usePlace(), useBoard(), useMoment()]
  const span = ref<'day' | 'week'>('day')
  /** A range that was zoomed or panned to (seconds); `null` = the day or week of the needle. */
  const range = ref<{ from: number; until: number } | null>(null)
  const sort = ref<Sort>('group')
  const text = ref('')
  const state = ref<State | 'blocked' | ''>('')
  const group = ref('')
  const folded = ref<ReadonlySet<string>>(new Set())
  /** Whether the answer is shown as a table instead of bands. */
  const asTable = ref(false)
  /** Whether what differs from another moment, or between two devices, is shown instead. */
  const comparing = ref(false)

  const axis = computed(() => {
    if (range.value) return timeAxis(range.value.from, range.value.until, place.zone)
    return span.value === 'day'
      ? board.axis
      : timeAxis(startOfDay(board.day, place.zone), startOfDay(board.day + 7, place.zone), place.zone)
  })

  /** Shows the day or the week of the needle. */
  function show(what: 'day' | 'week'): void {
    span.value = what
    range.value = null
  }
  /**
   * Zooms by a factor (below 1 = closer) around an instant (seconds), the needle where none is said and it is
   * in sight.
   */
  function zoom(factor: number, around?: number): void {
    const { from, until } = axis.value
    const fixed = around ?? (from <= moment.at && moment.at < until ? moment.at : (from + until) / 2)
    const length = Math.min(Math.max((until - from) * factor, MIN_RANGE_SECONDS), MAX_RANGE_SECONDS)
    const start = Math.round(fixed - ((fixed - from) * length) / (until - from))
    range.value = { from: start, until: start + Math.round(length) }
  }
  /** Moves the range by a share of its length. */
  function pan(share: number): void {
    const { from, until } = axis.value
    const by = Math.round((until - from) * share)
    range.value = { from: from + by, until: until + by }
  }
  /** Folds a group, or unfolds it. */
  function fold(name: string): void {
    const next = new Set(folded.value)
    if (!next.delete(name)) next.add(name)
    folded.value = next
  }
  return { span, range, sort, text, state, group, folded, asTable, comparing, axis, show, zoom, pan, fold }
})
