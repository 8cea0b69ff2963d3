import type { AllowanceLeft } from '../allowance/outlook.ts'
import { hoursWords } from './length.ts'

const sizeWords = (measure: AllowanceLeft['measure'], size: number) =>
  measure === 'minutes' ? hoursWords(size) : `${Math.ceil(size).toLocaleString('en')} MB`

/**
 * Returns the rest of an allowance in words: "40 min left", "used up"; empty where that is not known.
 *
 * @example leftWords({ measure: 'minutes', left: 40, limit: 60, isShared: false }) // '40 min left'
 */
export function leftWords({ measure, left }: AllowanceLeft): string {
  if (left === null) return ''
  return left === 0 ? 'used up' : `${sizeWords(measure, left)} left`
}

/** The same with how much there is: "40 min of 2 h left, shared", "2 h used up". */
export function leftOfWords({ measure, left, limit, isShared }: AllowanceLeft): string {
  const all = sizeWords(measure, limit)
  const shared = isShared ? ', shared' : ''
  if (left === null) return `${all}${shared}`
  return left === 0 ? `${all} used up${shared}` : `${sizeWords(measure, left)} of ${all} left${shared}`
}
