import type { AllowanceLeft } from '../../core/allowance/outlook.ts'
import type { StateAt } from '../../core/decision/moment.ts'
import { isBlocked } from '../../core/decision/standing.ts'
import { covers, type Ranges } from '../../core/time/ranges.ts'
import { leftWords } from '../../core/words/allowance.ts'
import { whenWords } from './time.ts'

/**
 * Returns the note beside the state of a device on its allowances: the rest of the one that ends
 * first, or that it may be blocked at a moment (seconds) to come. Empty where there is nothing to say.
 */
export function allowanceNote(
  { state }: Pick<StateAt, 'state'>,
  allowances: readonly AllowanceLeft[],
  mayBe: Ranges,
  at: number,
): string {
  if (isBlocked(state)) return ''
  const counting = allowances.filter(({ counts, left }) => counts && left !== null && left > 0)
  const share = ({ left, limit }: AllowanceLeft) => left! / limit
  const [least] = counting.sort((a, b) => share(a) - share(b))
  if (least) return leftWords(least)
  return covers(mayBe, at) ? allowancesText.mayBeBlocked : ''
}

/**
 * Returns the first time at which a device that is allowed at a moment (seconds) may be blocked; empty =
 * none.
 */
export function earliestWords(mayBe: Ranges, at: number, zone: string): string {
  const first = mayBe.find(({ until }) => until > at)
  if (!first) return ''
  return first.from <= at
    ? allowancesText.mayBeBlockedAnyTime
    : allowancesText.earliest(whenWords(first.from, at, zone))
}

/** The texts about allowances. */
export const allowancesText = {
  allowances: 'Allowances',
  mayBeBlocked: 'may be blocked',
  mayBeBlockedAnyTime: 'May be blocked at any time.',
  earliest: (when: string) => `Blocked at the earliest from ${when}.`,
  notKnown: 'What is left is not known while the gateway does not answer.',
  again: (when: string) => `again from ${when}`,
  minutesMore: (minutes: number) => `${minutes} more minutes`,
  megabytesMore: (megabytes: number) => `${megabytes} more MB`,
  addedNow: 'Added for now',
  addedAt: (amount: string, when: string) => `${amount} added at ${when}`,
  takeBack: 'Take back',
  added: (name: string, amount: string) => `${name} has ${amount}.`,
  keyMayBe: 'allowed while an allowance lasts',
  onceUsedUp: 'once its allowance is used up',
}
