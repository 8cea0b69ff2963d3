import { DAY } from '../../core/time/duration.ts'
import { instantText } from '../../core/time/instant.ts'
import type { Trouble } from '../../protocol/gateway/alarm.ts'

/** The seconds for which a trouble stays that lasts until it is over. */
export const UNTIL_OVER = 366 * DAY

/** The troubles that a plane notices by itself. */
export interface TroubleLog {
  /** Notes a trouble at an instant (seconds), for so many seconds. */
  note(kind: Trouble['kind'], about: string, at: number, stays: number): void
  /** Says that it is over. */
  over(kind: Trouble['kind'], about: string): void
  all(at: number): Trouble[]
}

/** A log without troubles. */
export function troubleLog(): TroubleLog {
  const noted = new Map<string, Trouble & { readonly until: number }>()
  return {
    note: (kind, about, at, stays) => {
      const key = `${kind} ${about}`
      noted.set(key, { kind, about, since: noted.get(key)?.since ?? instantText(at), until: at + stays })
    },
    over: (kind, about) => void noted.delete(`${kind} ${about}`),
    all: (at) => {
      for (const [key, { until }] of noted) if (until < at) noted.delete(key)
      return [...noted.values()].map(({ until: _, ...trouble }) => trouble)
    },
  }
}
