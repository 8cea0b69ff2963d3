let twelveHours = false

/**
 * From now on clocks are said in twelve hours ("9:30 pm") or in twenty-four ("21:30"), as the browser's
 * locale has it.
 */
export function sayTwelveHours(twelve: boolean): void {
  twelveHours = twelve
}

/**
 * A wall clock "HH:MM" or "HH:MM:SS" (hours run on past 24) as people here say it: "21:30", or "9:30 pm".
 *
 * @example clockWords('21:30') // '21:30'
 */
export function clockWords(clock: string): string {
  return twelveHours ? twelveHourWords(clock) : clock
}

/** The same in twelve hours: "9:30 pm", "9 pm", "9:30:05 pm". */
export function twelveHourWords(clock: string): string {
  const [hour, ...rest] = clock.split(':')
  const minutes = rest.every((part) => part === '00') ? '' : `:${rest.join(':')}`
  return `${Number(hour) % 12 || 12}${minutes} ${Number(hour) % 24 < 12 ? 'am' : 'pm'}`
}
