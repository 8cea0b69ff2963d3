import { DAY, dayAt, localText, readLocal, startOfDay, dateText } from '../../core/time/instant.ts'

/** The wall clock of the zone at an instant (seconds): "21:30". */
export function clockOf(instant: number, zone: string): string {
  return localText(instant, zone).slice(11, 16)
}

/** An instant as seen from another: the bare time within a day of it, else with weekday, and with the date beyond six days. */
export function whenWords(instant: number, from: number, zone: string): string {
  const time = clockOf(instant, zone)
  if (Math.abs(instant - from) < DAY) return time
  const days = Math.abs(dayAt(instant, zone) - dayAt(from, zone))
  return `${days <= 6 ? format(instant, zone, { weekday: 'long' }) : dateWords(instant, zone)} ${time}`
}

/** "Fri 27 Nov". */
export function dateWords(instant: number, zone: string): string {
  return format(instant, zone, { weekday: 'short', day: 'numeric', month: 'short' }).replace(',', '')
}

/** The day of an instant as seen from another: "Fri 27 Nov", beyond ten months "11 Jul 2025". */
export function dayWords(instant: number, from: number, zone: string): string {
  return Math.abs(instant - from) < 300 * DAY ? dateWords(instant, zone) : format(instant, zone, { day: 'numeric', month: 'short', year: 'numeric' })
}

/** "Friday", the weekday in full. */
export function weekdayWords(instant: number, zone: string): string {
  return format(instant, zone, { weekday: 'long' })
}

/** A length in seconds in words: "12 s", "35 min", "2 h 05 min", "1 day", "3 days". */
export function lengthWords(seconds: number): string {
  const length = Math.max(0, Math.round(seconds))
  if (length < 60) return `${length} s`
  const minutes = Math.round(length / 60)
  if (minutes < 60) return `${minutes} min`
  if (minutes < 24 * 60) return minutes % 60 === 0 ? `${minutes / 60} h` : `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, '0')} min`
  const days = Math.round(length / DAY)
  return days === 1 ? '1 day' : `${days} days`
}

/** A time axis of one day of the zone: its bounds (seconds; 23 to 25 hours apart) and a tick every three hours of the wall clock. */
export function dayAxis(day: number, zone: string): { from: number, until: number, ticks: { at: number, label: string }[] } {
  const [from, until] = [startOfDay(day, zone), startOfDay(day + 1, zone)]
  const hours = [0, 3, 6, 9, 12, 15, 18, 21]
  const ticks = hours.map(hour => ({ at: readLocal(`${dateText(day)}T${String(hour).padStart(2, '0')}:00`, zone)!, label: String(hour).padStart(2, '0') }))
  return { from, until, ticks: [...ticks, { at: until, label: '24' }] }
}

function format(instant: number, zone: string, options: Intl.DateTimeFormatOptions): string {
  return new Intl.DateTimeFormat('en-GB', { timeZone: zone, ...options }).format(instant * 1000)
}
