import type { Count } from './evidence.ts'

/**
 * The usage of one adapter in one network within one hour, as one run of the gateway's program counted it:
 * other runs counted other parts of the same hour.
 *
 * `hour` is the instant (ISO, in UTC) at which an hour begins on the clock of the gateway's zone; `network` is
 * `null` where the policy names none. `sent` and `received` passed; of an unknown device only what it sent is
 * counted. `dropped` are packets and look-ups, `minutes` (0 to 60) those in which it was active.
 */
export interface UsageHour {
  readonly run: string
  readonly mac: string
  readonly network: string | null
  readonly hour: string
  readonly sent: Count
  readonly received: Count
  readonly dropped: number
  readonly minutes: number
}

/** The hours that changed after a number of a run, and the number to ask with the next time. */
export interface UsageNews {
  readonly run: string
  readonly number: number
  readonly hours: readonly UsageHour[]
}
