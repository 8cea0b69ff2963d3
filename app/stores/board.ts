import { defineStore } from 'pinia'
import { computed } from 'vue'
import { compile } from '../../core/decision/compile.ts'
import { momentsAt, type Moment } from '../../core/decision/moment.ts'
import { dayAt, startOfDay } from '../../core/time/instant.ts'
import { boardRows } from '../components/board/rows.ts'
import { dayAxis } from '../words/time.ts'
import { useMoment } from './moment.ts'
import { useNetwork } from './network.ts'

/** Everyone on the network as of the moment: the live policy made ready, the rows, and how each stands. */
export const useBoard = defineStore('board', () => {
  const network = useNetwork()
  const moment = useMoment()
  const compiled = computed(() => network.live && compile(network.live.policy))
  const rows = computed(() => network.draft && compiled.value ? boardRows(network.draft, compiled.value, network.sightings) : [])

  // Standings last until the first of them ends: ticking through that time costs nothing.
  let held: { compiled: unknown, rows: unknown, from: number, until: number, moments: Moment[] } | null = null
  const moments = computed(() => {
    if (!compiled.value) return []
    const at = moment.at
    if (!held || held.compiled !== compiled.value || held.rows !== rows.value || at < held.from || at >= held.until) {
      const found = momentsAt(compiled.value, rows.value.map(row => row.subject), at)
      held = {
        compiled: compiled.value, rows: rows.value, moments: found,
        from: Math.max(-Infinity, ...found.map(({ since }) => since ?? -Infinity)), until: Math.min(Infinity, ...found.map(({ until }) => until ?? Infinity)),
      }
    }
    return held.moments
  })

  const today = computed(() => dayAt(moment.now, network.zone))
  const day = computed(() => dayAt(moment.at, network.zone))
  const axis = computed(() => dayAxis(day.value, network.zone))
  /** The week of the ribbon: from yesterday on, or from the day before the needle where that lies outside. */
  const week = computed(() => {
    const first = day.value >= today.value - 1 && day.value <= today.value + 5 ? today.value - 1 : day.value - 1
    return { first, from: startOfDay(first, network.zone), until: startOfDay(first + 7, network.zone) }
  })

  return { compiled, rows, moments, today, day, axis, week }
})
