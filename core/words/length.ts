import { DAY } from '../time/duration.ts'
import { countWords } from './count.ts'

/**
 * Minutes in hours and minutes, never in days: "35 min", "2 h 05 min", from ten hours on "51 h".
 *
 * @example hoursWords(90) // '1 h 30 min'
 */
export function hoursWords(minutes: number): string {
  return minutes < 600 ? lengthWords(minutes * 60) : `${Math.round(minutes / 60).toLocaleString('en')} h`
}

/**
 * A length in seconds in words: "12 s", "35 min", "2 h 05 min", "1 day", "3 days".
 *
 * @example lengthWords(5400) // '1 h 30 min'
 */
export function lengthWords(seconds: number): string {
  const length = Math.max(0, Math.round(seconds))
  if (length < 60) return `${length} s`
  const minutes = Math.round(length / 60)
  if (minutes < 60) return `${minutes} min`
  if (minutes < 24 * 60)
    return minutes % 60 === 0
      ? `${minutes / 60} h`
      : `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, '0')} min`
  const days = Math.round(length / DAY)
  return countWords(days, 'day')
}
