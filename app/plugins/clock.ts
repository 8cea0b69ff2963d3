import { sayTwelveHours } from '../../core/words/clock.ts'

// Before anything is drawn, so that every clock is said in one way.
export default defineNuxtPlugin(() =>
  sayTwelveHours(new Intl.DateTimeFormat(undefined, { hour: 'numeric' }).resolvedOptions().hour12 === true),
)
