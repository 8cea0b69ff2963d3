import { Temporal } from 'temporal-polyfill'
import type { Allowance } from '../policy/types.ts'
import { localText, readLocal } from '../time/instant.ts'
import type { Range } from '../time/ranges.ts'

const DAYS = { day: 1, week: 7 } as const

/**
 * The period `[from, until)` (seconds) of an allowance in which an instant lies: from one local time of the
 * place to the next, a week from Monday on. Where clocks skip that time it begins as much later, where they
 * repeat it the first time (RFC 5545, section 3.3.5).
 *
 * @example periodAt({ per: 'day', from: '04:00' }, 'UTC', 97200) // { from: 14400, until: 100800 }
 */
export function periodAt({ per, from }: Pick<Allowance, 'per' | 'from'>, zone: string, at: number): Range {
  const days = DAYS[per]
  const startOn = (date: Temporal.PlainDate) => readLocal(`${date.toString()}T${from}`, zone)!
  const today = Temporal.PlainDate.from(localText(at, zone).slice(0, 10))
  let date = per === 'week' ? today.subtract({ days: today.dayOfWeek - 1 }) : today
  if (startOn(date) > at) date = date.subtract({ days })
  return { from: startOn(date), until: startOn(date.add({ days })) }
}
